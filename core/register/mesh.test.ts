import { createRaster, cropRaster } from "../raster";
import { plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";
import { linear, meshOver, meshPoint, resample, sourceRegion } from "./index";

const SIZE = { width: 420, height: 360 };
const GRID = { x: 0, y: 0, width: 320, height: 260 };
/** Turned a little and moved, with waves of 2.5 px such as air makes. */
const BASE = linear([0.999, 0.02, 40, -0.02, 0.999, 42]);
const waves = (x: number, y: number): [number, number] => [
  2.5 * Math.sin((2 * Math.PI * (x + 0.5 * y)) / 170),
  2 * Math.cos((2 * Math.PI * (y - 0.3 * x)) / 140),
];
const mesh = meshOver(GRID, 12, BASE, waves);
const placeOf = (x: number, y: number): [number, number] => {
  const [a, b, c, d, e, f] = BASE.matrix;
  const [dx, dy] = waves(x, y);
  return [a * x + b * y + c + dx, d * x + e * y + f + dy];
};

/** Samples that are their own place: x in the first channel, y in the second, which every kernel interpolates exactly. */
const places = createRaster(SIZE.width, SIZE.height, 2);
places.planes[0].forEach((_, i) => {
  places.planes[0][i] = i % SIZE.width;
  places.planes[1][i] = Math.floor(i / SIZE.width);
});

test.each(["bilinear", "bicubic"] as const)(
  "a mesh of known shape is followed within 1e-3 px of its formula at every pixel, by %s",
  (kernel) => {
    for (const kernels of [wasmKernels(), plainKernels()]) {
      const region = kernel === "bicubic" ? GRID : { x: 90, y: 70, width: 70, height: 60 };
      const out = resample(places, { x: 0, y: 0 }, mesh, region, { kernel, kernels });
      let worst = 0;
      for (let i = 0; i < region.width * region.height; i++) {
        const [x, y] = placeOf(region.x + (i % region.width), region.y + Math.floor(i / region.width));
        worst = Math.max(worst, Math.abs(out.planes[0][i] - x), Math.abs(out.planes[1][i] - y));
      }
      expect(worst).toBeLessThan(1e-3);
    }
  },
);

test("points go where pixels go, smoothly: no step anywhere between cells", () => {
  for (const [x, y] of [
    [0, 0],
    [15.9, 16.1],
    [200.3, 111.7],
    [319, 259],
  ]) {
    const [u, v] = meshPoint(mesh, x, y);
    const [p, q] = placeOf(x, y);
    expect(Math.hypot(u - p, v - q)).toBeLessThan(1e-3);
  }
  // The second difference along a line is that of the waves, on the borders of cells as between them.
  let worst = 0;
  for (let x = 20; x < 300; x += 0.25) {
    const [a, b, c] = [x - 0.25, x, x + 0.25].map((at) => meshPoint(mesh, at, 77)[0]);
    const [p, q, r] = [x - 0.25, x, x + 0.25].map((at) => placeOf(at, 77)[0]);
    worst = Math.max(worst, Math.abs(a - 2 * b + c - (p - 2 * q + r)) / 0.25 ** 2);
  }
  // The waves bend by 0.0034 px a px².
  expect(worst).toBeLessThan(1e-4);
});

test("both kernels give the same; a tile of the grid is what the whole is; the source under a tile holds all that it needs", () => {
  const plane = createRaster(SIZE.width, SIZE.height, 1);
  plane.planes[0].forEach((_, i) => {
    const [x, y] = [i % SIZE.width, Math.floor(i / SIZE.width)];
    plane.planes[0][i] = 1 + Math.sin(x / 5) * Math.cos(y / 7);
  });
  plane.planes[0][180 * SIZE.width + 200] = NaN;
  const levels = [{ scale: 1.5, level: 0.25, dx: 1e-3, dy: -1e-3 }];
  const whole = resample(plane, { x: 0, y: 0 }, mesh, GRID, { kernel: "bicubic", kernels: wasmKernels(), levels });
  const twin = resample(plane, { x: 0, y: 0 }, mesh, GRID, { kernel: "bicubic", kernels: plainKernels(), levels });
  expect(whole.planes[0].filter((v) => v !== v).length).toBeGreaterThan(10);
  expect(whole.planes[0].every((v, i) => (v !== v) === (twin.planes[0][i] !== twin.planes[0][i]))).toBe(true);
  const known = (values: Float32Array) => values.map((v) => (v === v ? v : 0));
  expect(worstDifference(known(whole.planes[0]), known(twin.planes[0]))).toBeLessThan(1e-5);
  for (const tile of [
    { x: 0, y: 0, width: 50, height: 40 },
    { x: 143, y: 97, width: 61, height: 33 },
    { x: 290, y: 230, width: 30, height: 30 },
  ]) {
    const from = sourceRegion(tile, mesh, SIZE);
    expect(from.width * from.height).toBeLessThan((tile.width + 24) * (tile.height + 24));
    const part = resample(cropRaster(plane, from), from, mesh, tile, {
      kernel: "bicubic",
      kernels: wasmKernels(),
      levels,
    });
    expect(worstDifference(known(part.planes[0]), known(cropRaster(whole, tile).planes[0]))).toBeLessThan(1e-5);
  }
});

test("a tile whose source lies beside the picture needs nothing of it", () => {
  const far = meshOver(GRID, 32, linear([1, 0, 5000, 0, 1, 0]), () => [0, 0]);
  expect(sourceRegion(GRID, far, SIZE).width).toBe(0);
  expect(() => meshOver(GRID, 0, BASE, () => [0, 0])).toThrow(RangeError);
});
