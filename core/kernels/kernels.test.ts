import FFT from "fft.js";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fftInPlace } from "../numeric/fft";
import { createRandom } from "../numeric/random";
import { kernelBytes } from "../testing/kernelBytes";
import type { Psf } from "./index";
import { createPlainKernels, createWasmKernels, goodFftSize } from "./index";

const plain = createPlainKernels();
const wasm = createWasmKernels(kernelBytes());

function noise(n: number, seed: number, offset = 0): Float32Array {
  const random = createRandom(seed);
  return Float32Array.from({ length: n }, () => offset + random.normal());
}

function gaussianPsf(size: number, sigma: number, shiftX = 0): Psf {
  const radius = (size - 1) / 2;
  const values = Float32Array.from({ length: size * size }, (_, i) => {
    const x = (i % size) - radius - shiftX;
    const y = Math.floor(i / size) - radius;
    return Math.exp(-(x * x + y * y) / (2 * sigma * sigma));
  });
  const sum = values.reduce((a, b) => a + b, 0);
  return { size, values: values.map((v) => v / sum) };
}

function worst(a: Float32Array, b: Float32Array): number {
  expect(a.length).toBe(b.length);
  return a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);
}

test("the committed kernels.wasm is what its source compiles to", () => {
  const folder = mkdtempSync(join(tmpdir(), "dunkel-kernels-"));
  const out = join(folder, "kernels.wasm");
  execFileSync(process.execPath, ["scripts/kernels.mjs", out]);
  expect(Buffer.compare(readFileSync(out), Buffer.from(kernelBytes()))).toBe(0);
  rmSync(folder, { recursive: true });
}, 60_000);

test("the plain FFT equals fft.js on a power of two and the defining sum on 2·3·5", () => {
  const re = Float64Array.from(noise(64, 1));
  const im = Float64Array.from(noise(64, 2));
  const fft = new FFT(64);
  const input = fft.createComplexArray();
  const expected = fft.createComplexArray();
  for (let i = 0; i < 64; i++) [input[2 * i], input[2 * i + 1]] = [re[i], im[i]];
  fft.transform(expected, input);
  fftInPlace(re, im, false);
  for (let i = 0; i < 64; i++) {
    expect(re[i]).toBeCloseTo(expected[2 * i], 10);
    expect(im[i]).toBeCloseTo(expected[2 * i + 1], 10);
  }
  const x = noise(30, 3);
  const xr = Float64Array.from(x);
  const xi = new Float64Array(30);
  fftInPlace(xr, xi, false);
  for (let k = 0; k < 30; k++) {
    const sum = x.reduce((s, v, j) => s + v * Math.cos((2 * Math.PI * j * k) / 30), 0);
    expect(xr[k]).toBeCloseTo(sum, 8);
  }
});

test("good FFT sizes", () => {
  expect(goodFftSize(7)).toBe(8);
  expect(goodFftSize(121)).toBe(125);
  expect(goodFftSize(361, 8)).toBe(384);
});

describe.each([
  [1, 1],
  [5, 3],
  [64, 48],
  [101, 37],
  [38, 200],
])("on %i × %i", (width, height) => {
  test("sums along lines are the same in both twins, and a line of ones sums to its length", () => {
    for (const [width, height] of [
      [37, 21],
      [64, 50],
      [5, 90],
    ]) {
      const plane = Float32Array.from({ length: width * height }, (_, i) => ((i * 7919) % 101) / 10);
      expect(wasm.lineSums(plane, width, height)).toEqual(plain.lineSums(plane, width, height));
    }
    const [width, height] = [32, 32];
    const line = new Float32Array(width * height);
    for (let x = 0; x < width; x++) line[(3 + Math.round((x * 9) / 31)) * width + x] = 1;
    const { values, size, rows } = wasm.lineSums(line, width, height);
    const top = values.reduce((best, v, i) => (v > values[best] ? i : best), 0);
    expect([Math.floor(top / rows), (top % rows) - size]).toEqual([9, 3]);
    expect(values[top]).toBeGreaterThan(25);
  });

  test("the wasm starlet step equals its plain twin at every scale", () => {
    const plane = noise(width * height, 7, 3);
    for (let scale = 0; scale < 6; scale++)
      expect(
        worst(wasm.starletSmooth(plane, width, height, scale), plain.starletSmooth(plane, width, height, scale)),
      ).toBeLessThan(2e-6);
  });

  test("the wasm shrinkage equals its plain twin, for one and three planes", () => {
    for (const channels of [1, 3]) {
      const planes = Array.from({ length: channels }, (_, c) => noise(width * height, 11 + c));
      const settings = { inverseSigma: planes.map(() => [1.1, 5, 11.7, 24]), k: 2.2, protect: 0.7 };
      const a = wasm.starletShrink(planes, width, height, settings);
      const b = plain.starletShrink(planes, width, height, settings);
      for (let c = 0; c < channels; c++) expect(worst(a[c], b[c])).toBeLessThan(2e-5);
    }
  });

  test("the wasm convolution equals its plain twin and the direct sum, also for a lopsided PSF", () => {
    const plane = noise(width * height, 5);
    const psf = gaussianPsf(7, 1.3, 0.8);
    const result = wasm.convolve(plane, width, height, psf);
    expect(worst(result, plain.convolve(plane, width, height, psf))).toBeLessThan(5e-6);
    const direct = new Float32Array(plane.length);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let v = 0; v < 7; v++)
          for (let u = 0; u < 7; u++) {
            const sx = x - (u - 3);
            const sy = y - (v - 3);
            if (sx >= 0 && sy >= 0 && sx < width && sy < height)
              direct[y * width + x] += plane[sy * width + sx] * psf.values[v * 7 + u];
          }
    expect(worst(result, direct)).toBeLessThan(5e-6);
  });

  test("the wasm Richardson–Lucy equals its plain twin", () => {
    const plane = noise(width * height, 9, 20);
    const psf = gaussianPsf(9, 1.6, 0.4);
    const settings = { iterations: 6, start: "data" as const, floor: 1e-6 };
    let calls = 0;
    const a = wasm.richardsonLucy(plane, width, height, psf, settings, () => calls++);
    const b = plain.richardsonLucy(plane, width, height, psf, settings);
    expect(calls).toBe(6);
    expect(worst(a, b)).toBeLessThan(2e-3); // values reach a few hundred at the border: 1e-5 of them
  });
});

test("the wasm resampling equals its plain twin: any places, at and across the border, with gaps, for 2 to 8 taps", () => {
  const [width, height] = [41, 33];
  const random = createRandom(3);
  const plane = noise(width * height, 13, 5);
  plane[20 * width + 12] = NaN;
  const places = 4000;
  const xs = Float64Array.from({ length: places }, () => -3 + (width + 6) * random.uniform());
  const ys = Float64Array.from({ length: places }, () => -3 + (height + 6) * random.uniform());
  xs.set([NaN, 5, width - 0.5, -0.5, 7.25]);
  ys.set([3, 6, height - 0.5, -0.5, NaN]);
  for (const taps of [2, 4, 6, 8] as const) {
    const phases = 64;
    const weights = Float32Array.from({ length: (phases + 1) * taps }, (_, i) =>
      i % taps === 1 ? 1.2 : -0.2 / (taps - 1),
    );
    const table = { taps, phases, weights };
    const [a] = plain.resample([plane], width, height, table, { xs, ys });
    const [b] = wasm.resample([plane], width, height, table, { xs, ys });
    let gaps = 0;
    a.forEach((v, i) => {
      if (v !== v) {
        gaps++;
        expect(b[i]).toBeNaN();
      } else expect(Math.abs(v - b[i])).toBeLessThan(1e-5);
    });
    expect(gaps).toBeGreaterThan(500);
    expect(places - gaps).toBeGreaterThan(2000);
    const grid = { matrix: [0.9, 0.2, -3, -0.15, 1.1, 2] as const, columns: 50, rows: 30 };
    const on = Array.from({ length: 1500 }, (_, k) => [k % 50, Math.floor(k / 50)]);
    const placed = {
      xs: Float64Array.from(on, ([i, j]) => 0.9 * i + (0.2 * j - 3)),
      ys: Float64Array.from(on, ([i, j]) => -0.15 * i + (1.1 * j + 2)),
    };
    for (const kernels of [plain, wasm])
      expect(kernels.resample([plane], width, height, table, grid)).toEqual(
        kernels.resample([plane], width, height, table, placed),
      );
  }
  expect(() => wasm.resample([plane], 4, 4, { taps: 4, phases: 1, weights: plane }, { xs, ys })).toThrow(RangeError);
});

test("a kernel refuses a plane of another size and a PSF without a centre", () => {
  for (const kernels of [plain, wasm]) {
    expect(() => kernels.starletSmooth(new Float32Array(5), 2, 2, 0)).toThrow(RangeError);
    expect(() => kernels.convolve(new Float32Array(4), 2, 2, { size: 2, values: new Float32Array(4) })).toThrow(
      RangeError,
    );
  }
});
