import { fc } from "../testing/properties";
import { createRandom } from "../numeric/random";
import type { Warp, WarpModel } from "./index";
import { WARP_MODELS, compose, describeWarp, fitWarp, inverse, linear, mapPoint, mapRow, matrixAt } from "./index";
import { IDENTITY, resample, rotationAbout, shiftBy, sourceRegion, warpSchema } from "./index";
import { createRaster } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { projective, warpWords } from "./warp";

const kernels = wasmKernels();

/** One of each kind, of the size that real frames show. */
const barrel: Warp = {
  kind: "polynomial",
  degree: 3,
  inverted: true,
  centre: [300, 200],
  radius: 300,
  x: [303, 300, 2, 0.4, -0.2, 0.3, 1.2, 0.1, 1.1, -0.1],
  y: [198, -2, 300, 0.1, 0.5, -0.3, 0.2, 1.1, -0.1, 1.3],
};
const KINDS: [string, Warp][] = [
  ["shift", shiftBy(3.5, -2)],
  ["similarity", rotationAbout(0.7, 100, 50, 3, 4)],
  ["mirrored affine", linear([-1.1, 0.2, 500, 0.1, 0.9, -4])],
  ["projective", projective([1.01, 0.02, 5, -0.01, 0.99, 3, 2e-5, -1e-5, 1])],
  ["polynomial", barrel],
  ["polynomial the other way", inverse(barrel)],
  ["chain", compose(rotationAbout(0.2, 0, 0, 5, 5), barrel)],
];
const somewhere = [fc.double({ min: 0, max: 600, noNaN: true }), fc.double({ min: 0, max: 400, noNaN: true })] as const;

describe.each(KINDS)("%s", (_, warp) => {
  test("its inverse takes every point back, and a row is mapped as its points", () => {
    fc.assert(
      fc.property(...somewhere, (x, y) => {
        const [u, v] = mapPoint(inverse(warp), ...mapPoint(warp, x, y));
        expect(Math.hypot(u - x, v - y)).toBeLessThan(1e-6);
      }),
    );
    const [xs, ys] = [new Float64Array(5), new Float64Array(5)];
    mapRow(warp, 40, 30, 5, xs, ys);
    for (let k = 0; k < 5; k++) expect([xs[k], ys[k]]).toEqual(mapPoint(warp, 40 + k, 30));
  });

  test("composed with others it does one after the other; stored and read again it is the same", () => {
    for (const [, other] of KINDS) {
      const both = compose(other, warp);
      const one = mapPoint(both, 210, 120);
      const two = mapPoint(other, ...mapPoint(warp, 210, 120));
      expect(Math.hypot(one[0] - two[0], one[1] - two[1])).toBeLessThan(1e-6);
    }
    expect(warpSchema.parse(JSON.parse(JSON.stringify(warp)))).toEqual(warp);
    expect(warpWords(warp)).toMatch(/^(shift|similarity|affine|projective|polynomial)/);
  });

  test("its matrix at a point is its slope there", () => {
    const [a, b, c, d, e, f] = matrixAt(warp, 150, 90);
    const [x, y] = mapPoint(warp, 150.2, 89.9);
    expect(a * 150.2 + b * 89.9 + c).toBeCloseTo(x, 4);
    expect(d * 150.2 + e * 89.9 + f).toBeCloseTo(y, 4);
  });

  test("the source region of a tile holds every place that its pixels look at", () => {
    const tile = { x: 150, y: 100, width: 60, height: 40 };
    const part = sourceRegion(tile, warp, { width: 5000, height: 5000 });
    for (let y = 0; y < 40; y++)
      for (let x = 0; x < 60; x++) {
        const [u, v] = mapPoint(inverse(warp), 150 + x, 100 + y);
        if (u < 0 || v < 0) continue;
        expect(u >= part.x && u <= part.x + part.width - 1 && v >= part.y && v <= part.y + part.height - 1).toBe(true);
      }
  });
});

test("turn, scale and mirror image are read off", () => {
  expect(describeWarp(compose(rotationAbout(0.5, 0, 0, 1, 2), linear([2, 0, 0, 0, 2, 0])))).toEqual({
    rotationDeg: expect.closeTo(28.6479, 3),
    scale: expect.closeTo(2, 9),
    isMirrored: false,
  });
  expect(describeWarp(linear([-1, 0, 10, 0, 1, 0])).isMirrored).toBe(true);
  expect(describeWarp(barrel, 300, 200).scale).toBeCloseTo(1, 2);
});

test.each(WARP_MODELS)("%s: least squares give a warp of its own kind back, and average noise", (model: WarpModel) => {
  const truths: Record<WarpModel, Warp> = {
    shift: shiftBy(3, -4),
    similarity: rotationAbout(0.3, 200, 100, 5, 6),
    affine: linear([1.02, 0.01, 3, -0.02, 0.97, 9]),
    projective: projective([1.01, 0.02, 5, -0.01, 0.99, 3, 2e-5, -1e-5, 1]),
    quadratic: {
      ...barrel,
      kind: "polynomial",
      degree: 2,
      x: [300, 300, 1, 0.9, 0.2, 0.4],
      y: [200, 1, 300, 0.3, 0.5, 0.6],
    } as Warp,
    cubic: barrel,
  };
  const truth = truths[model];
  const random = createRandom(5);
  const targets = Array.from({ length: 400 }, () => ({ x: 600 * random.uniform(), y: 400 * random.uniform() }));
  const pairsWith = (noise: number) =>
    targets.map((q) => {
      const [x, y] = mapPoint(inverse(truth), q.x, q.y);
      return [{ x: x + noise * random.normal(), y: y + noise * random.normal() }, q] as const;
    });
  const errorOf = (fitted: Warp | null) =>
    Math.max(
      ...targets.map((q) => {
        if (!fitted) return Infinity;
        const [x, y] = mapPoint(inverse(fitted), q.x, q.y);
        const [u, v] = mapPoint(inverse(truth), q.x, q.y);
        return Math.hypot(x - u, y - v);
      }),
    );
  expect(errorOf(fitWarp(pairsWith(0), model))).toBeLessThan(1e-6);
  // 400 pairs with 0.1 px of noise fix each of up to ten numbers an axis to about 0.1 · √(10/400) px, more at the corners.
  expect(errorOf(fitWarp(pairsWith(0.1), model))).toBeLessThan(0.12);
  expect(fitWarp([], model)).toBeNull();
});

test("resampling through a distortion puts each value where the warp says", () => {
  const value = (x: number, y: number) => 2 + Math.sin(x * 0.05) * Math.cos(y * 0.04);
  const picture = createRaster(600, 400, 1);
  for (let y = 0, i = 0; y < 400; y++) for (let x = 0; x < 600; x++, i++) picture.planes[0][i] = value(x, y);
  const tile = { x: 280, y: 150, width: 30, height: 20 };
  const out = resample(picture, { x: 0, y: 0 }, barrel, tile, { kernel: "lanczos3", kernels }).planes[0];
  out.forEach((v, i) => {
    const [x, y] = mapPoint(inverse(barrel), 280 + (i % 30), 150 + Math.floor(i / 30));
    expect(Math.abs(v - value(x, y))).toBeLessThan(0.001);
  });
  expect(resample(picture, { x: 0, y: 0 }, IDENTITY, tile, { kernel: "lanczos3", kernels }).planes[0][0]).toBe(
    picture.planes[0][150 * 600 + 280],
  );
});
