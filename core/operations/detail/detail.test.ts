// Raising detail without a model of the blur: closed forms where there is no noise, and what must not happen where there is.
import { measureChain, newStep, readySteps, runChain } from "../../chain";
import { quietJob } from "../../job";
import { createRandom } from "../../numeric/random";
import type { Raster } from "../../raster";
import { frameOfRaster, meanAndDeviation, rasterOf, wholeRegion } from "../../raster";
import { paintStars, plainKernels, wasmKernels } from "../../testing/fixtures";
import type { AnyOperation } from "../operation";
import { OPERATIONS } from "../registry";

const job = quietJob(wasmKernels());
const WAYS = OPERATIONS.filter(({ can }) => can.detailGain).map((one) => [one.words.short, one] as const);
const way = (id: string) => OPERATIONS.find((one) => one.id === id) as AnyOperation;
const [WIDTH, HEIGHT] = [320, 300];

const planeOf = (value: (x: number, y: number) => number): Float32Array =>
  Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => value(i % WIDTH, Math.floor(i / WIDTH)));
const noisy = (plane: Float32Array, sigma: number, seed: number): Raster => {
  const random = createRandom(seed);
  return rasterOf(WIDTH, HEIGHT, [plane.map((v) => v + sigma * random.normal())]);
};

/** "none": its halves are the same, so that there is no noise. */
async function raised(operation: AnyOperation, picture: Raster, params: object, of: [Raster, Raster] | "none") {
  const halves = of === "none" ? [picture, picture] : of;
  const steps = [{ ...newStep(operation), params: { ...operation.parameters.defaults, ...params } }];
  const input = {
    picture: frameOfRaster(picture),
    halves: { a: frameOfRaster(halves[0]), b: frameOfRaster(halves[1]) },
    fill: [0],
    fullScale: 1000,
  };
  const ready = readySteps(steps, await measureChain(input, steps, job));
  const { planes } = await runChain(input.picture, ready, wholeRegion(picture), [0], job);
  return planes[0];
}

/** A picture of light in noise of σ 1 with its halves. */
async function inNoise(operation: AnyOperation, light: Float32Array, params = {}) {
  const [a, b] = [noisy(light, Math.SQRT2, 1), noisy(light, Math.SQRT2, 2)];
  const mean = rasterOf(WIDTH, HEIGHT, [a.planes[0].map((v, i) => (v + b.planes[0][i]) / 2)]);
  return { before: mean.planes[0], after: await raised(operation, mean, params, [a, b]) };
}

test("detail by size without noise: each starlet scale times its gain", async () => {
  const light = planeOf((x, y) => 100 + 10 * Math.sin(x / 3) + 20 * Math.cos(y / 9) + (x > 200 ? 30 : 0));
  const gains = [1, 2, 0.5, 1.5, 1, 3];
  const params = Object.fromEntries(gains.map((gain, j) => [`gain${2 ** j}`, gain]));
  const out = await raised(
    way("detail.by-size"),
    rasterOf(WIDTH, HEIGHT, [light]),
    { levers: "each", ...params },
    "none",
  );
  const plain = plainKernels();
  let current = light;
  const expected = light.slice();
  gains.forEach((gain, j) => {
    const smooth = plain.starletSmooth(current, WIDTH, HEIGHT, j);
    for (let i = 0; i < expected.length; i++) expected[i] += (gain - 1) * (current[i] - smooth[i]);
    current = smooth;
  });
  for (let i = 0; i < expected.length; i += 97) expect(Math.abs(out[i] - expected[i])).toBeLessThan(0.01);
});

test("unsharp mask of an edge without noise: it overshoots by amount × the Gaussian's tail (error function)", async () => {
  const [amount, widthPx] = [1.5, 8];
  const edge = planeOf((x) => (x < 160 ? 100 : 200));
  const out = await raised(way("detail.unsharp-mask"), rasterOf(WIDTH, HEIGHT, [edge]), { amount, widthPx }, "none");
  const sigma = widthPx / Math.sqrt(8 * Math.LN2);
  // The mean of a Gaussian's pixels up to x, by sums: the edge lies between two pixels.
  const tail = (x: number) => {
    let [below, all] = [0, 0];
    for (let k = -60; k <= 60; k++) {
      const weight = Math.exp(-(k * k) / (2 * sigma * sigma));
      all += weight;
      if (x + k < 160) below += weight;
    }
    return below / all;
  };
  for (const x of [150, 156, 159, 160, 163, 170]) {
    const mean = 200 - 100 * tail(x);
    const light = x < 160 ? 100 : 200;
    expect(out[150 * WIDTH + x]).toBeCloseTo(light + amount * (light - mean), 1);
  }
});

test("local contrast without noise raises coarse structure by its gain and leaves fine detail", async () => {
  const wave = (period: number) => planeOf((x) => 100 + Math.sin((2 * Math.PI * x) / period));
  const swing = (plane: Float32Array) => meanAndDeviation(plane.slice(140 * WIDTH + 96, 140 * WIDTH + 224)).sigma;
  const gainAt = async (period: number) =>
    swing(await raised(way("detail.local-contrast"), rasterOf(WIDTH, HEIGHT, [wave(period)]), {}, "none")) /
    swing(wave(period));
  expect(await gainAt(4)).toBeCloseTo(1, 2);
  expect(await gainAt(32)).toBeGreaterThan(1.6); // the rest of its power lies above 32 px
  expect(await gainAt(32)).toBeLessThanOrEqual(2.001);
});

describe.each(WAYS)("%s", (_, operation) => {
  test("leaves grain as it is, but for a few hundredths; without the gate it would not", async () => {
    const { before, after } = await inNoise(
      operation,
      planeOf(() => 100),
    );
    expect(meanAndDeviation(after).sigma / meanAndDeviation(before).sigma).toBeLessThan(1.04);
    const open = await inNoise(
      operation,
      planeOf(() => 100),
      { gate: 0, limit: 200 },
    );
    expect(meanAndDeviation(open.after).sigma).toBeGreaterThan(meanAndDeviation(after).sigma);
  });

  test("raises structure that is well above the noise", async () => {
    const period = operation.id === "detail.unsharp-mask" ? 12 : 32;
    const wave = (x: number) => Math.sin((2 * Math.PI * x) / period);
    const { before, after } = await inNoise(
      operation,
      planeOf((x) => 100 + 8 * wave(x)),
      { keepPoints: false },
    );
    const swing = (plane: Float32Array) =>
      plane.reduce((sum, v, i) => sum + 2 * (v - 100) * wave(i % WIDTH), 0) / plane.length;
    expect(swing(after) / swing(before)).toBeGreaterThan(1.2);
  });

  test("puts no dark ring round a star, faint or bright, and makes its height no more than half as much again", async () => {
    const stars = [40, 100, 300, 1000, 5000].flatMap((height, k) =>
      [0, 1, 2].map((row) => ({ x: 40 + 60 * k, y: 50 + 100 * row, flux: height })),
    );
    const sky = paintStars(WIDTH, HEIGHT, stars, { fwhm: 3, noise: 0, level: 100 }).planes[0];
    const { before, after } = await inNoise(operation, sky);
    for (const { x, y } of stars) {
      const peak = before[y * WIDTH + x] - 100;
      if (peak < 15) continue;
      expect((after[y * WIDTH + x] - 100) / peak).toBeGreaterThan(0.95);
      expect((after[y * WIDTH + x] - 100) / peak).toBeLessThan(1.5);
      // The mean of a ring, from 2 to 3 FWHM, so that noise does not count for much.
      let [sum, count] = [0, 0];
      for (let dy = -9; dy <= 9; dy++)
        for (let dx = -9; dx <= 9; dx++) {
          const r = Math.hypot(dx, dy);
          if (r < 4 || r > 9) continue;
          sum += after[(y + dy) * WIDTH + x + dx] - before[(y + dy) * WIDTH + x + dx];
          count++;
        }
      expect(sum / count).toBeGreaterThan(-0.3 - 0.01 * peak);
    }
  });
});
