import { moffatTable } from "../measure";
import { createRandom } from "../numeric/random";
import { kernelBytes } from "../testing/kernelBytes";
import type { PointStar, StarPlanes } from "./index";
import { createPlainKernels, createWasmKernels, DRAWN } from "./index";
import { drawnRadius } from "./stars/contract";

const [plain, wasm] = [createPlainKernels(), createWasmKernels(kernelBytes())];
const SHAPES = [
  { fwhmMajor: 3.4, fwhmMinor: 2.6, angle: 0.7, beta: 3 },
  { fwhmMajor: 2.9, fwhmMinor: 2.9, angle: 0, beta: 2.4 },
];
const [WIDTH, HEIGHT] = [83, 71];
const random = createRandom(12);
/** Some at and beyond the border, some over each other. */
const stars: PointStar[] = Array.from({ length: 60 }, () => ({
  x: (WIDTH + 10) * random.uniform() - 5,
  y: (HEIGHT + 10) * random.uniform() - 5,
  heights: [5 + 400 * random.uniform() ** 3, 3 + 300 * random.uniform() ** 3],
}));
const noise = SHAPES.map(() => Float32Array.from({ length: WIDTH * HEIGHT }, () => 20 + random.normal()));

const planesOf = (least: number): StarPlanes => ({
  planes: noise.map((plane) => plane.slice()),
  width: WIDTH,
  height: HEIGHT,
  profiles: SHAPES.map((shape) => moffatTable(shape)),
  least: SHAPES.map(() => least),
});
const worst = (a: StarPlanes, b: StarPlanes) =>
  Math.max(
    ...a.planes.map((plane, c) => plane.reduce((most, v, i) => Math.max(most, Math.abs(v - b.planes[c][i])), 0)),
  );

test.each([0, 0.05])("stars are drawn alike in both, down to a light of %s", (least) => {
  const [a, b] = [planesOf(least), planesOf(least)];
  plain.drawStars(a, stars, 1);
  wasm.drawStars(b, stars, 1);
  expect(worst(a, b)).toBeLessThan(1e-3);
  expect(worst(a, planesOf(least))).toBeGreaterThan(50);
  // Taken off again, nothing is left of them.
  wasm.drawStars(b, stars, -1);
  expect(worst(b, planesOf(least))).toBeLessThan(1e-3);
});

test("stars are solved alike in both; none that has no light comes back", () => {
  const [a, b] = [planesOf(0.05), planesOf(0.05)];
  const sigmas = noise.map((plane) => plane.map((_, i) => (i % 97 === 0 ? 1e6 : 1 + (i % 3))));
  const found = stars.map((star) => ({
    ...star,
    x: star.x + 0.2,
    heights: star.heights.map((h) => 0.7 * h),
    name: "s",
  }));
  found.push({ x: 40, y: 8, heights: [-500, -500], name: "none" });
  for (const [kernels, on] of [
    [plain, a],
    [wasm, b],
  ] as const)
    kernels.drawStars(on, stars, 1);
  for (const [kernels, on] of [
    [plain, a],
    [wasm, b],
  ] as const)
    kernels.drawStars(on, found, -1);
  const [p, w] = [plain.solveStars(a, found, { sigmas, rounds: 4 }), wasm.solveStars(b, found, { sigmas, rounds: 4 })];
  expect(w.length).toBe(p.length);
  p.forEach((star, k) => {
    expect(w[k].name).toBe(star.name);
    expect(Math.hypot(w[k].x - star.x, w[k].y - star.y)).toBeLessThan(1e-3);
    star.heights.forEach((height, c) => expect(Math.abs(w[k].heights[c] - height)).toBeLessThan(0.02));
  });
  expect(worst(a, b)).toBeLessThan(0.02);
});

test("a star is drawn to where its profile is as low as asked: the closed form of a round Moffat", () => {
  const profiles = [moffatTable(SHAPES[1])];
  const alpha = 2.9 / (2 * Math.sqrt(2 ** (1 / 2.4) - 1));
  expect(drawnRadius([10], profiles, [0.1])).toBeCloseTo(alpha * Math.sqrt(100 ** (1 / 2.4) - 1), 6);
  expect(drawnRadius([1e5], profiles, [0.1])).toBe(DRAWN);
  expect(drawnRadius([10], profiles, [0])).toBe(DRAWN);
});

test("planes, profiles and heights that do not go together are refused", () => {
  const on = planesOf(0);
  expect(() => wasm.drawStars({ ...on, width: WIDTH + 1 }, stars, 1)).toThrow(RangeError);
  expect(() => plain.drawStars(on, [{ x: 1, y: 1, heights: [1] }], 1)).toThrow(/1 heights/);
});
