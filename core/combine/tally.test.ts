import { createRandom } from "../numeric/random";
import { plainKernels } from "../testing/fixtures";
import type { ScatterModel } from "../kernels";
import { BLOCK_PX, emptyBlocks, REJECTORS } from "./index";
import { tallyInto } from "./tally";

const kernels = plainKernels();
const LIMITS: Record<string, { low: number; high: number }> = {
  percentile: { low: 0.2, high: 0.2 },
  minmax: { low: 1, high: 1 },
  esd: { low: 0.4, high: 0.05 },
};

test.each(REJECTORS.map(({ id }) => id))(
  "%s: what is said to be rejected of each layer is what the mean lacks",
  (id) => {
    const [n, pixels] = [9, 60];
    const random = createRandom(5);
    const weights = Array.from({ length: n }, (_, i) => 1 + i / 3);
    const cube = Float32Array.from({ length: n * pixels }, () => 100 + (1 + 2 * random.uniform()) * random.normal());
    for (let p = 0; p < pixels; p++) {
      cube[(p % n) * pixels + p] += 40;
      if (p % 4 === 0) cube[((p + 3) % n) * pixels + p] -= 60;
      if (p % 5 === 0) cube[((p + 5) % n) * pixels + p] = NaN;
      if (p % 7 === 0) cube[((p + 6) % n) * pixels + p] = Infinity;
    }
    const rejector = REJECTORS.find((one) => one.id === id);
    if (!rejector) throw new Error(id);
    const settings = { by: "mean" as const, rejector, limits: LIMITS[id] ?? { low: 3, high: 3 } };
    const { median: centre, spread } = kernels.centres(cube, n, pixels);
    const model: ScatterModel | undefined = rejector.narrow
      ? undefined
      : {
          noise: weights.map((_, i) => 1 + (i % 3)),
          signal: weights.map(() => 0.01),
          blur: weights.map(() => 0),
          sky: 90,
          centre,
          spread,
          curvature: new Float32Array(pixels),
          slope: new Float32Array(pixels),
        };
    const result = kernels.combine(cube, n, pixels, weights, settings, model);
    const from = { x: 3, y: 2, width: pixels, height: 1 };
    let seen = 0;
    for (let p = 0; p < pixels; p++) {
      const pixel = { x: from.x + p, y: from.y, width: 1, height: 1 };
      const blocks = emptyBlocks(pixel, n);
      tallyInto(blocks, pixel, from, [{ cube, result, model }]);
      let [sum, weight] = [0, 0];
      for (let i = 0; i < n; i++) {
        const value = cube[i * pixels + p];
        const rejected = blocks.counts[2 * i] + blocks.counts[2 * i + 1];
        expect(rejected === 0 || value === value).toBe(true);
        if (rejected === 0 && value === value) [sum, weight] = [sum + weights[i] * value, weight + weights[i]];
        if (blocks.counts[2 * i + 1] > 0) expect(value).toBeLessThan(centre[p]);
        seen += rejected;
      }
      expect(Math.abs(sum / weight - result.mean[p])).toBeLessThan(1e-3);
    }
    expect(seen).toBe(result.rejected);
  },
);

test("blocks of 16 px from the corner of their region; a pixel counts once, whatever its channels", () => {
  const region = { x: 0, y: 32, width: 40, height: 20 };
  const pixels = region.width * region.height;
  const cube = new Float32Array(3 * pixels).fill(1);
  for (let p = 0; p < pixels; p++) cube[2 * pixels + p] = 9;
  const settings = {
    by: "mean" as const,
    rejector: REJECTORS.find(({ id }) => id === "minmax") ?? REJECTORS[0],
    limits: { low: 0, high: 1 },
  };
  const result = kernels.combine(cube, 3, pixels, [1, 1, 1], settings);
  const blocks = emptyBlocks(region, 3);
  tallyInto(blocks, { ...region, height: 20 }, region, [
    { cube, result },
    { cube, result },
  ]);
  expect([blocks.columns, blocks.rows, BLOCK_PX]).toEqual([3, 2, 16]);
  // Of the third layer, above: 256 is more than a byte holds.
  expect([...blocks.counts.slice(4 * 6, 5 * 6)]).toEqual([255, 255, 128, 64, 64, 32]);
  expect(blocks.counts.slice(0, 4 * 6).some((count) => count > 0)).toBe(false);
});
