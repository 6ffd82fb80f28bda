import { measureChain, newStep, readySteps, runChain } from "../../chain";
import { quietJob } from "../../job";
import { roundPsf } from "../../measure";
import { createRandom } from "../../numeric/random";
import { frameOfRaster, meanAndDeviation, rasterOf, wholeRegion } from "../../raster";
import { FIELD_SIDE as SIDE, smoothField } from "../../testing/fields";
import { wasmKernels } from "../../testing/fixtures";
import { energyGains, multiscaleSharpening } from "./multiscaleSharpening";

const kernels = wasmKernels();
const job = quietJob(kernels);

async function layered(planes: [Float32Array, Float32Array], params = {}): Promise<Float32Array> {
  const [a, b] = planes.map((plane) => rasterOf(SIDE, SIDE, [plane]));
  const picture = rasterOf(SIDE, SIDE, [a.planes[0].map((v, i) => (v + b.planes[0][i]) / 2)]);
  const steps = [
    { ...newStep(multiscaleSharpening), params: { ...multiscaleSharpening.parameters.defaults, ...params } },
  ];
  const halves = { a: frameOfRaster(a), b: frameOfRaster(b) };
  const input = { picture: frameOfRaster(picture), halves, fill: [0], fullScale: 1 };
  const ready = readySteps(steps, await measureChain(input, steps, job));
  return (await runChain(input.picture, ready, wholeRegion(picture), [0], job)).planes[0];
}

test("gains: none for no blur; for a Moffat of 3.5 px those that a separate computation gave; more for a wider one", () => {
  expect(energyGains({ size: 1, values: Float32Array.of(1) })).toEqual([1, 1, 1, 1, 1, 1]);
  const gains = energyGains(roundPsf(3.5, 3.5));
  // Source: trial computation over the same integrals with numpy's FFT, rounded to a hundredth (2.85, 1.74, 1.24, 1.07).
  [2.85, 1.74, 1.24, 1.07].forEach((expected, j) => expect(Math.abs(gains[j] / expected - 1)).toBeLessThan(0.04));
  expect(gains[5]).toBeLessThan(1.03);
  energyGains(roundPsf(5, 3.5)).forEach((gain, j) => expect(gain).toBeGreaterThan(gains[j] - 1e-9));
});

test("a blurred picture of craters and belts comes nearer to what it was, in energy and pixel by pixel", async () => {
  const random = createRandom(3);
  // Hills of all sizes, their energy as k^−3: a standard deviation of √size for each octave; and shadows with hard edges.
  const octaves = [0.4, 0.8, 1.6, 3.2, 6.4, 12.8].map((sigma, k) =>
    smoothField(sigma, 7 + k).map((v) => 0.03 * sigma ** 0.5 * v),
  );
  const truth = Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    const shadow = Math.hypot((x % 90) - 40, (y % 80) - 40) < 14 && x % 90 > 40 ? -0.15 : 0;
    return octaves.reduce((sum, field) => sum + field[i], 0.5 + shadow);
  });
  const blurred = kernels.convolve(truth, SIDE, SIDE, roundPsf(3.5, 3.5));
  const half = () => blurred.map((v) => v + 0.003 * random.normal());
  const out = await layered([half(), half()]);
  // Well inside: the convolution knows nothing beyond the border.
  const inside = [...truth.keys()].filter((i) => Math.min(i % SIDE, SIDE - (i % SIDE), i / SIDE, SIDE - i / SIDE) > 40);
  const error = (plane: Float32Array) => meanAndDeviation(inside.map((i) => plane[i] - truth[i])).sigma;
  expect(error(out)).toBeLessThan(0.85 * error(blurred));
  const finest = (plane: Float32Array) => {
    const smooth = kernels.starletSmooth(plane, SIDE, SIDE, 0);
    return meanAndDeviation(inside.map((i) => plane[i] - smooth[i])).sigma;
  };
  expect(finest(out) / finest(truth)).toBeGreaterThan(1.5 * (finest(blurred) / finest(truth)));
});

test("noise of an even picture is left as it is; strength is a share", async () => {
  const random = createRandom(5);
  const noise = (): Float32Array => Float32Array.from({ length: SIDE * SIDE }, () => 0.5 + 0.01 * random.normal());
  const halves: [Float32Array, Float32Array] = [noise(), noise()];
  const out = await layered(halves);
  const mean = halves[0].map((v, i) => (v + halves[1][i]) / 2);
  expect(meanAndDeviation(out).sigma / meanAndDeviation(mean).sigma).toBeLessThan(1.02);
  const [full, half] = [await layered(halves, { gate: 0 }), await layered(halves, { gate: 0, strength: 0.5 })];
  for (let i = 0; i < out.length; i += 101) expect(half[i]).toBeCloseTo((full[i] + mean[i]) / 2, 6);
});
