import { createRandom } from "../numeric/random";
import { fixture, plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";

const plain = plainKernels();
const wasm = wasmKernels();
const { width, height, plane, totalVariation, bilateral } = fixture<{
  width: number;
  height: number;
  plane: number[];
  totalVariation: { weight: number; expected: number[] };
  bilateral: { radius: number; range: number; expected: number[] };
}>("noise.json");
const picture = Float32Array.from(plane);

/** Noise of σ 1 with a few bright spikes. */
function noisy(n: number, seed: number): Float32Array {
  const random = createRandom(seed);
  return Float32Array.from({ length: n }, () => random.normal() + (random.uniform() < 0.01 ? 50 : 0));
}
const SIZES = [
  [61, 37],
  [7, 5],
  [64, 2],
  [1, 1],
];

test("total variation: the picture that scikit-image (Chambolle, 50,000 steps) finds, and no more energy", () => {
  const { weight, expected } = totalVariation;
  const found = wasm.totalVariation(picture, width, height, { weight, iterations: 2000 });
  expect(worstDifference(found, Float32Array.from(expected))).toBeLessThan(5e-4);
  const energy = (x: ArrayLike<number>): number => {
    let sum = 0;
    for (let i = 0; i < x.length; i++) {
      const across = i % width < width - 1 ? x[i + 1] - x[i] : 0;
      const down = i + width < x.length ? x[i + width] - x[i] : 0;
      sum += 0.5 * (x[i] - plane[i]) ** 2 + weight * Math.hypot(across, down);
    }
    return sum;
  };
  expect(energy(found) / energy(expected)).toBeLessThan(1 + 1e-6);
  const few = wasm.totalVariation(picture, width, height, { weight, iterations: 50 });
  expect(energy(few) / energy(expected)).toBeLessThan(1.003);
});

test("the bilateral filter as OpenCV computes it", () => {
  const { expected, ...settings } = bilateral;
  const found = wasm.bilateral(picture, width, height, settings);
  expect(worstDifference(found, Float32Array.from(expected))).toBeLessThan(1e-4);
});

test.each(SIZES)("the twins agree at %i × %i", (w, h) => {
  const of = noisy(w * h, w);
  const variation = { weight: 1.3, iterations: 40 };
  const means = { patch: 2, search: 5, h: 0.7, spared: 1 };
  const likeness = { radius: 3, range: 1.5 };
  const pairs = [plain, wasm].map((kernels) => [
    kernels.totalVariation(of, w, h, variation),
    kernels.nonLocalMeans(of, w, h, means),
    kernels.bilateral(of, w, h, likeness),
  ]);
  pairs[0].forEach((expected, k) => expect(worstDifference(pairs[1][k], expected)).toBeLessThan(2e-5));
});

test("non-local means: what repeats is averaged over its repeats, what stands alone stays as it is", () => {
  // A pattern of period 4 in both directions, in noise: some ten repeats lie within the search.
  const [w, h] = [80, 80];
  const random = createRandom(3);
  const clean = Float32Array.from(
    { length: w * h },
    (_, i) => 6 * Math.sin((2 * Math.PI * (i % w)) / 4) * Math.cos((2 * Math.PI * Math.floor(i / w)) / 4),
  );
  const of = clean.map((v) => v + random.normal());
  of[40 * w + 40] += 500;
  const found = wasm.nonLocalMeans(of, w, h, { patch: 2, search: 6, h: 1, spared: 2 });
  const error = (a: Float32Array) =>
    Math.sqrt(a.reduce((sum, v, i) => (i === 40 * w + 40 ? sum : sum + (v - clean[i]) ** 2), 0) / a.length);
  expect(error(found) / error(of)).toBeLessThan(0.45);
  expect(Math.abs(found[40 * w + 40] - of[40 * w + 40])).toBeLessThan(1e-3);
});

test("no weight leaves the picture; a level stays level", () => {
  expect(wasm.totalVariation(picture, width, height, { weight: 0, iterations: 5 })).toEqual(picture);
  const level = new Float32Array(200).fill(7);
  for (const out of [
    wasm.totalVariation(level, 20, 10, { weight: 2, iterations: 20 }),
    wasm.nonLocalMeans(level, 20, 10, { patch: 1, search: 3, h: 1, spared: 0 }),
    wasm.bilateral(level, 20, 10, { radius: 3, range: 1 }),
  ])
    expect(worstDifference(out, level)).toBeLessThan(1e-5);
});
