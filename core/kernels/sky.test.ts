import { createRandom } from "../numeric/random";
import { paintStars, randomStars } from "../testing/fixtures";
import { kernelBytes } from "../testing/kernelBytes";
import { createPlainKernels, createWasmKernels } from "./index";
import { COARSE_TAPS } from "./sky/contract";

const [plain, wasm] = [createPlainKernels(), createWasmKernels(kernelBytes())];

function noise(n: number, seed: number, offset = 0): Float32Array {
  const random = createRandom(seed);
  return Float32Array.from({ length: n }, () => offset + random.normal());
}

function worst(a: Float32Array, b: Float32Array): number {
  expect(a.length).toBe(b.length);
  return a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);
}

const MESH = { columns: 3, rows: 2, level: Float32Array.of(3, 4, 5, 4, 3, 6) };
const TWO_SIGMA = (quiet: number) => 2 * quiet;

/** A sky whose noise is `factor` times as large in its upper third. */
function unevenSky(width: number, height: number, factor: number): Float32Array {
  return noise(width * height, 31).map((v, i) => (i < (width * height) / 3 ? factor * v : v));
}

test.each([
  [157, 83],
  [64, 40],
  [131, 66],
  [70, 130],
  [5, 9],
  [3, 2],
  [1, 1],
])("peaks of the band are those of the plain twin, with a gap, at %i × %i px", (width, height) => {
  const plane = noise(width * height, 8, 4);
  const gap = (width * height) >> 1;
  plane[gap] = NaN;
  for (const background of [MESH, null]) {
    const [a, b] = [plain, wasm].map((kernels) => kernels.bandPeaks(plane, width, height, background, TWO_SIGMA));
    expect(a.clean[gap]).toBe(0);
    for (const key of ["clean", "cells", "height", "ridge"] as const) expect(worst(a[key], b[key])).toBeLessThan(1e-5);
    expect(b.at).toEqual(a.at);
    expect(b.columns).toBe(a.columns);
    expect(b.quiet).toBeCloseTo(a.quiet, 5);
    if (width * height > 5000) expect(a.at.length).toBeGreaterThan(10);
  }
});

test("the bound is that of the whole picture's quiet parts, however noisy its first rows are", () => {
  for (const factor of [0.2, 5]) {
    const plane = unevenSky(200, 400, factor);
    const [a, b] = [plain, wasm].map((kernels) => kernels.bandPeaks(plane, 200, 400, MESH, TWO_SIGMA));
    expect(b.at).toEqual(a.at);
    expect(Math.min(...b.height)).toBeGreaterThan(2 * b.quiet);
  }
});

test("a picture of which a third has no data shows the noise of the rest; one without data has no peaks", () => {
  const part = unevenSky(192, 192, NaN);
  const whole = plain.bandPeaks(noise(192 * 192, 31), 192, 192, null, TWO_SIGMA);
  for (const kernels of [plain, wasm]) {
    const { quiet } = kernels.bandPeaks(part, 192, 192, null, TWO_SIGMA);
    expect(quiet / whole.quiet).toBeGreaterThan(0.9);
    expect(quiet / whole.quiet).toBeLessThan(1.1);
    const empty = kernels.bandPeaks(new Float32Array(99 * 99).fill(NaN), 99, 99, null, TWO_SIGMA);
    expect([empty.quiet, empty.at.length]).toEqual([0, 0]);
  }
});

test("σ of the band of white noise is what the taps of its filter say, and every star is a peak", () => {
  const stars = randomStars(40, 300, 260, 2);
  const [plane] = paintStars(300, 260, stars).planes;
  for (const kernels of [plain, wasm]) {
    const sky = kernels.bandPeaks(noise(512 * 512, 4), 512, 512, null, TWO_SIGMA);
    expect(sky.quiet).toBeGreaterThan(0.9 * whiteBand());
    expect(sky.quiet).toBeLessThan(1.05 * whiteBand());
    const found = kernels.bandPeaks(plane, 300, 260, null, (quiet) => 5 * quiet);
    const places = [...found.at].map((i) => [i % 300, Math.floor(i / 300)]);
    for (const { x, y } of stars) expect(places.some(([px, py]) => Math.hypot(px - x, py - y) < 1.5)).toBe(true);
  }
});

/** √Σ of the squared taps of one smoothing less three (derivation: noise of a linear filter). */
function whiteBand(): number {
  const once = Array.from({ length: 29 }, (_, k) => [1, 4, 6, 4, 1][k - 12] / 16 || 0);
  let squares = 0;
  for (let v = 0; v < 29; v++)
    for (let u = 0; u < 29; u++) squares += (once[u] * once[v] - COARSE_TAPS[u] * COARSE_TAPS[v]) ** 2;
  return Math.sqrt(squares);
}

test("the plane may be written over with itself less its background", () => {
  const plane = noise(80 * 70, 2, 9);
  const { clean } = wasm.bandPeaks(plane.slice(), 80, 70, MESH, TWO_SIGMA);
  const given = plane.slice();
  expect(wasm.bandPeaks(given, 80, 70, MESH, TWO_SIGMA, given).clean).toBe(given);
  expect(given).toEqual(clean);
});

test.each([
  [40, 50, 6],
  [2, 49, 6],
  [79, 0, 9],
  [0, 69, 1],
])("what three smoothings leave about (%i, %i) is the starlet's coarse part", (x, y, reach) => {
  const [width, height] = [80, 70];
  const plane = noise(width * height, 5, 2);
  const coarse = [0, 1, 2].reduce((smooth, scale) => plain.starletSmooth(smooth, width, height, scale), plane);
  const side = 2 * reach + 1;
  const [a, b] = [plain, wasm].map((kernels) => kernels.coarseAround(plane, width, height, x, y, reach));
  expect(worst(a, b)).toBeLessThan(2e-6);
  let inside = 0;
  for (let v = -reach; v <= reach; v++)
    for (let u = -reach; u <= reach; u++) {
      if (x + u < 0 || y + v < 0 || x + u >= width || y + v >= height) continue;
      inside++;
      expect(b[(v + reach) * side + u + reach]).toBeCloseTo(coarse[(y + v) * width + x + u], 5);
    }
  expect(inside).toBeGreaterThan(3);
});

test("planes and meshes of another size are refused", () => {
  for (const kernels of [plain, wasm]) {
    expect(() => kernels.bandPeaks(new Float32Array(5), 2, 2, null, TWO_SIGMA)).toThrow(RangeError);
    const wrong = { columns: 2, rows: 2, level: new Float32Array(3) };
    expect(() => kernels.bandPeaks(new Float32Array(9), 3, 3, wrong, TWO_SIGMA)).toThrow(RangeError);
  }
});
