import { createRandom } from "../numeric/random";
import { wasmKernels } from "../testing/fixtures";
import { autocovariance, filterCovariance, gaussianCorrelation } from "./covariance";
import { HAAR_BANDS, haarJoin, haarSplit, haarTaps } from "./haar";

const kernels = wasmKernels();
const [WIDTH, HEIGHT] = [220, 200];
const random = createRandom(6);
const noise = Float32Array.from({ length: WIDTH * HEIGHT }, () => random.normal());

test("what was split is joined to what it was, well within the border; a band of an even plane is nothing", () => {
  let current = noise;
  const splits = [0, 1, 2, 3].map((scale) => {
    const split = haarSplit(current, WIDTH, scale);
    current = split.mean as Float32Array<ArrayBuffer>;
    return split;
  });
  let joined: Float32Array = current;
  for (const [scale, { bands }] of [...splits.entries()].reverse()) joined = haarJoin(bands, joined, WIDTH, scale);
  for (let y = 32; y < HEIGHT - 32; y++)
    for (let x = 32; x < WIDTH - 32; x++)
      expect(Math.abs(joined[y * WIDTH + x] - noise[y * WIDTH + x])).toBeLessThan(1e-5);
  const even = haarSplit(new Float32Array(WIDTH * HEIGHT).fill(7), WIDTH, 2);
  for (const band of even.bands) expect(Math.max(...band.map(Math.abs))).toBe(0);
});

test("of a step along a row the band of differences along the rows alone shows", () => {
  const step = Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => (i % WIDTH < 100 ? 1 : 3));
  const { bands } = haarSplit(step, WIDTH, 0);
  const at = 50 * WIDTH + 99;
  expect([bands[0][at], bands[1][at], bands[2][at]]).toEqual([-1, 0, 0]);
});

test("covariances of white noise in the bands: by the taps, and as measured", () => {
  const white = gaussianCorrelation(0);
  for (const scale of [0, 2]) {
    let current: Float32Array = noise;
    for (let j = 0; j < scale; j++) current = haarSplit(current, WIDTH, j).mean;
    const { bands } = haarSplit(current, WIDTH, scale);
    HAAR_BANDS.forEach(({ across, down }, b) => {
      const expected = filterCovariance(white, haarTaps(scale, across), haarTaps(scale, down), 1 << scale, 4);
      // The variance of independent pixels is the sum of the squares of the taps.
      const squares = (taps: Float64Array) => taps.reduce((sum, tap) => sum + tap * tap, 0);
      const variance = squares(haarTaps(scale, across)) * squares(haarTaps(scale, down));
      expect(expected[40]).toBeCloseTo(variance, 9);
      const measured = autocovariance([{ plane: bands[b], width: WIDTH, height: HEIGHT }], kernels, 4, 1 << scale, 1);
      for (const k of [40, 41, 49, 39 - 9]) expect(Math.abs(measured[k] - expected[k]) / variance).toBeLessThan(0.12);
    });
  }
});
