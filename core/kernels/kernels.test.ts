import FFT from "fft.js";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fftInPlace } from "../numeric/fft";
import { createRandom } from "../numeric/random";
import { kernelBytes } from "../testing/kernelBytes";
import type { Psf, WeightTable } from "./index";
import { blocksOf, createPlainKernels, createWasmKernels, goodFftSize } from "./index";
import { isNear } from "./resample/contract";

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
});

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

  test("damped and hastened too; what is as near to the data as the noise stays", () => {
    const plane = noise(width * height, 9, 20).map((v) => Math.abs(v) + 5);
    const psf = gaussianPsf(9, 1.6, 0.4);
    const settings = { iterations: 5, start: plane.map(() => 20), floor: 1e-6 };
    const damping = { inverse: plane.map((_, i) => (i % 3 === 0 ? 0 : 1 / 60 ** 2)) };
    const variation = { lambda: 0.05, soften: 3 };
    for (const more of [{ damping }, { isHastened: true }, { damping, isHastened: true, variation }]) {
      const a = wasm.richardsonLucy(plane, width, height, psf, { ...settings, ...more });
      const b = plain.richardsonLucy(plane, width, height, psf, { ...settings, ...more });
      expect(worst(a, b)).toBeLessThan(2e-3);
    }
    const still = { ...settings, damping: { inverse: new Float32Array(plane.length) }, iterations: 1 };
    const from = { ...still, start: plane };
    const inner = (of: Float32Array) =>
      of.filter((_, i) => i % width > 8 && i % width < width - 8 && i > 8 * width && i < (height - 8) * width);
    expect(worst(inner(wasm.richardsonLucy(plane, width, height, psf, from)), inner(plane))).toBeLessThan(1e-3);
  });

  test("with total variation too, from a plane; slopes get fewer than without", () => {
    const plane = noise(width * height, 9, 20).map((v) => Math.abs(v) + 5);
    const psf = gaussianPsf(9, 1.6, 0.4);
    const start = plane.map(() => 20);
    const settings = { iterations: 3, start, floor: 1e-6, variation: { lambda: 0.05, soften: 3 } };
    const a = wasm.richardsonLucy(plane, width, height, psf, settings);
    const b = plain.richardsonLucy(plane, width, height, psf, settings);
    expect(worst(a, b)).toBeLessThan(2e-3);
    if (width < 30 || height < 30) return;
    const inner = (of: Float32Array) =>
      of.filter((_, i) => i % width > 12 && i % width < width - 12 && i > 12 * width && i < (height - 12) * width);
    const slopes = (of: Float32Array) => inner(of.map((v, i) => Math.abs(v - of[i + 1]))).reduce((p, q) => p + q, 0);
    const without = wasm.richardsonLucy(plane, width, height, psf, { ...settings, variation: null });
    expect(slopes(a)).toBeLessThan(slopes(without));
  });

  test("gated Richardson–Lucy equals its plain twin; without gates each step is that of a residual added; what is as the noise stays", () => {
    const psf = gaussianPsf(9, 1.6, 0.4);
    const data = noise(width * height, 9, 20).map((v, i) => v + (i % 17 === 0 ? 60 : 0));
    const sigma = data.map((_, i) => 1 + (i % 5) / 10);
    const settings = { iterations: 4, start: data.map(() => 22), floor: 1e-3, sigma, gates: [1.2, 0.5, 0.3] };
    let calls = 0;
    const a = wasm.gatedLucy(data, width, height, psf, settings, () => calls++);
    expect(calls).toBe(4);
    expect(worst(a, plain.gatedLucy(data, width, height, psf, settings))).toBeLessThan(2e-3);
    const open = { ...settings, gates: [] };
    expect(
      worst(wasm.gatedLucy(data, width, height, psf, open), plain.gatedLucy(data, width, height, psf, open)),
    ).toBeLessThan(5e-3);
    // d/(P u) is 1 + (d − P u)/(P u): without gates a step is Richardson's and Lucy's to that power.
    const inner = (of: Float32Array) =>
      of.filter((_, i) => i % width > 16 && i % width < width - 16 && i > 16 * width && i < (height - 16) * width);
    const one = wasm.gatedLucy(data, width, height, psf, { ...open, iterations: 1 });
    const plainStep = wasm.richardsonLucy(data, width, height, psf, { iterations: 1, start: open.start, floor: 1e-3 });
    expect(worst(inner(one), inner(plainStep.map((v) => 22 * (v / 22) ** 1.75)))).toBeLessThan(1e-3);
    const shut = { ...settings, gates: Array<number>(6).fill(1e6), start: data.map(() => 20) };
    const even = wasm.gatedLucy(
      data.map(() => 20),
      width,
      height,
      psf,
      shut,
    );
    expect(
      worst(
        even,
        data.map(() => 20),
      ),
    ).toBeLessThan(1e-3);
  });
});

/** Cubic convolution as its paper writes it, a = −1/2 (Keys 1981, IEEE ASSP 29, 1153, equation 15). */
const keys = (s: number) =>
  Math.abs(s) < 1
    ? 1.5 * Math.abs(s) ** 3 - 2.5 * s * s + 1
    : -0.5 * Math.abs(s) ** 3 + 2.5 * s * s - 4 * Math.abs(s) + 2;

/** Weights and their slopes at 1024 phases: Keys' cubic for four taps, Lanczos for more. */
function tableOf(taps: 2 | 4 | 6 | 8): WeightTable {
  const phases = 1024;
  const sinc = (x: number) => (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x));
  const lanczos = (x: number) => sinc(x) * sinc((2 * x) / taps);
  const shape = (x: number) => (Math.abs(x) >= taps / 2 ? 0 : taps === 4 ? keys(x) : lanczos(x));
  const at = (phase: number, k: number) => {
    const all = Array.from({ length: taps }, (_, t) => shape(t - taps / 2 + 1 - phase));
    return all[k] / all.reduce((a, b) => a + b);
  };
  const each = (value: (phase: number, k: number) => number) =>
    Float32Array.from({ length: (phases + 1) * taps }, (_, i) => value(Math.floor(i / taps) / phases, i % taps));
  return { taps, phases, weights: each(at), slopes: each((p, k) => (at(p + 1e-4, k) - at(p - 1e-4, k)) / 2e-4) };
}

const tilted = (angle: number, scale = 1, mirror = 1) => [
  scale * mirror * Math.cos(angle),
  -scale * Math.sin(angle),
  scale * mirror * Math.sin(angle),
  scale * Math.cos(angle),
];

test.each([
  ["a shift", [1, 0, 0, 1], true],
  ["a small turn", tilted(0.004), true],
  ["a small turn the other way and another scale", tilted(-0.003, 1.003), true],
  ["half a turn", tilted(Math.PI + 0.002), true],
  ["mirrored", tilted(0.001, 1, -1), true],
  ["a turn", tilted(0.3), false],
  ["half the scale", tilted(0.1, 2), false],
  ["twice the scale", tilted(2, 0.5), false],
])(
  "the wasm resampling equals its plain twin, at and across the border, with gaps, for 2 to 8 taps: %s",
  (_, by, near) => {
    const [width, height] = [340, 60];
    const plane = noise(width * height, 13, 5).map((v) => 100 + v);
    plane[20 * width + 112] = NaN;
    const [a, b, d, e] = by;
    const [columns, rows] = [360, 66];
    // The middle of the grid lies near the middle of the source.
    const matrix = Float64Array.from([a, b, 171.3 - 180 * a - 33 * b, d, e, 31.6 - 180 * d - 33 * e]);
    expect(isNear(matrix, 6)).toBe(near);
    const places = { matrices: matrix, columns, rows, x: 5, y: 2, block: 0 };
    const levels = [{ scale: 1.25, level: -20, dx: 0.01, dy: -0.02 }];
    for (const taps of [2, 4, 6, 8] as const) {
      const table = tableOf(taps);
      const [one] = plain.resample([plane], width, height, table, places, levels);
      const [other] = wasm.resample([plane], width, height, table, places, levels);
      let [gaps, off, worst] = [0, 0, 0];
      one.forEach((v, i) => {
        if (v !== v) gaps++;
        if ((v !== v) !== (other[i] !== other[i])) off++;
        else if (v === v) worst = Math.max(worst, Math.abs(v - other[i]));
      });
      expect(gaps).toBeGreaterThan(1000);
      expect(columns * rows - gaps).toBeGreaterThan(4000);
      expect(off).toBe(0);
      // Noise of σ 1 changes by about 2 a pixel: half of one of 1024 phases is a thousandth of that along each axis.
      expect(worst).toBeLessThan(near ? 6e-3 : 1e-4);
    }
  },
);

test("a grid that is cut gives the same bytes, in blocks and without", () => {
  const [width, height] = [340, 60];
  const plane = noise(width * height, 13, 5);
  const table = tableOf(6);
  const levels = [{ scale: 1, level: 0, dx: 0, dy: 0 }];
  const at = (x: number, y: number) => [
    1.001,
    0.002,
    1.001 * x + 0.002 * y + 3.1,
    -0.002,
    0.999,
    0.999 * y - 0.002 * x - 1,
  ];
  const whole = { x: 7, y: 3, columns: 320, rows: 50, block: 0, matrices: Float64Array.from(at(0, 0)) };
  for (const kernels of [plain, wasm]) {
    const [all] = kernels.resample([plane], width, height, table, whole, levels);
    const part = { x: 48, y: 20, columns: 150, rows: 9, block: 0, matrices: Float64Array.from(at(41, 17)) };
    const [cut] = kernels.resample([plane], width, height, table, part, levels);
    const blocks = blocksOf({ ...whole, block: 32 });
    expect(blocks[0]).toEqual({ i: 0, j: 0, width: 25, height: 29 });
    expect(blocks.reduce((sum, b) => sum + b.width * b.height, 0)).toBe(320 * 50);
    const matrices = Float64Array.from(blocks.flatMap(() => at(0, 0)));
    const [blocked] = kernels.resample([plane], width, height, table, { ...whole, block: 32, matrices }, levels);
    for (let j = 0; j < 9; j++)
      expect(cut.subarray(j * 150, (j + 1) * 150)).toEqual(all.slice((j + 17) * 320 + 41, (j + 17) * 320 + 191));
    expect(blocked).toEqual(all);
  }
  const wrong = { ...whole, block: 32 };
  expect(() => wasm.resample([plane], width, height, table, wrong, levels)).toThrow(RangeError);
  expect(() => wasm.resample([plane], 4, 4, table, whole, levels)).toThrow(RangeError);
});

test("the largest of each chunk, NaN left out, also of a part that is no whole vector", () => {
  const values = noise(64 * 4100 + 7, 3);
  values.fill(NaN, 128, 192);
  values[70] = NaN;
  values[300] = Infinity;
  const [a, b] = [plain, wasm].map((kernels) => kernels.chunkMaxima(values));
  expect(b).toEqual(a);
  expect(a[1]).toBe(Math.max(...values.slice(64, 128).filter((v) => v === v)));
  expect([a[2], a[4], a.length]).toEqual([-Infinity, Infinity, 4101]);
});

test("a kernel refuses a plane of another size and a PSF without a centre", () => {
  for (const kernels of [plain, wasm]) {
    expect(() => kernels.starletSmooth(new Float32Array(5), 2, 2, 0)).toThrow(RangeError);
    expect(() => kernels.convolve(new Float32Array(4), 2, 2, { size: 2, values: new Float32Array(4) })).toThrow(
      RangeError,
    );
  }
});

test("sums over windows: both twins to the last bit, the border mirrored; taps of another number are refused", () => {
  const taps = noise(49, 4);
  for (const [w, h] of [
    [61, 40],
    [5, 9],
    [1, 1],
    [64, 3],
  ]) {
    const plane = noise(w * h, w);
    const [a, b] = [plain, wasm].map((kernels) => kernels.correlate(plane, w, h, taps, 7));
    expect(worst(a, b)).toBe(0);
  }
  const dot = new Float32Array(15 * 15);
  dot[7 * 15 + 7] = 1;
  const out = wasm.correlate(dot, 15, 15, taps, 7);
  // A correlation turns the taps round.
  expect(out[5 * 15 + 8]).toBe(taps[5 * 7 + 2]);
  expect(() => wasm.correlate(dot, 15, 15, taps, 6)).toThrow(RangeError);
});

test("extremes of squares: both twins those of a search through all, the border mirrored; a reach of none is refused", () => {
  const mirror = (k: number, n: number) =>
    n === 1 ? 0 : Math.abs(((k + n - 1 + 20 * (2 * n - 2)) % (2 * n - 2)) - (n - 1));
  for (const [width, height, reach] of [
    [40, 30, 3],
    [7, 5, 9],
    [33, 1, 2],
    [61, 20, 12],
  ]) {
    const plane = noise(width * height, width);
    const [least, most] = [Math.min, Math.max].map((of) =>
      plane.map((_, i) => {
        const values: number[] = [];
        for (let v = -reach; v <= reach; v++)
          for (let u = -reach; u <= reach; u++)
            values.push(plane[mirror(Math.floor(i / width) + v, height) * width + mirror((i % width) + u, width)]);
        return of(...values);
      }),
    );
    for (const kernels of [plain, wasm]) {
      expect(worst(kernels.leastAround(plane, width, height, reach), least)).toBe(0);
      expect(worst(kernels.mostAround(plane, width, height, reach), most)).toBe(0);
    }
  }
  for (const kernels of [plain, wasm])
    expect(() => kernels.leastAround(new Float32Array(4), 2, 2, 0)).toThrow(RangeError);
});

test("the mixture's twins agree to single precision at any size, and one certain strength is a linear estimate", () => {
  const random = createRandom(8);
  const band = (axes: number, levels: number) => ({
    project: Float32Array.from({ length: 25 * axes }, () => 0.3 * random.normal()),
    back: Float32Array.from({ length: axes }, () => random.normal()),
    gains: Float32Array.from({ length: axes * levels }, () => random.uniform()),
    offsets: Float32Array.from({ length: levels }, () => -5 * random.uniform()),
    axes,
    levels,
  });
  for (const [w, h] of [
    [67, 41],
    [9, 7],
    [1, 1],
  ]) {
    const bands = [band(8, 10), band(5, 7), band(1, 1)];
    const plane = noise(w * h, w);
    const [a, b] = [plain, wasm].map((kernels) => kernels.mixtureShrink(plane, w, h, bands));
    expect(worst(a, b)).toBeLessThan(3e-6 * Math.max(1, ...a.map(Math.abs)));
    const [c, d] = [plain, wasm].map((kernels) => kernels.mixtureOfBand(plane, w, h, 2, bands[0]));
    expect(worst(c, d)).toBeLessThan(3e-6 * Math.max(1, ...c.map(Math.abs)));
  }
  // One axis that looks at the middle alone, and one strength: the finest scale is halved.
  const project = new Float32Array(25);
  project[12] = 1;
  const half = { project, back: Float32Array.of(1), gains: Float32Array.of(0.5), offsets: Float32Array.of(0) };
  const plane = noise(30 * 20, 3);
  const smooth = plain.starletSmooth(plane, 30, 20, 0);
  const out = wasm.mixtureShrink(plane, 30, 20, [{ ...half, axes: 1, levels: 1 }]);
  expect(
    worst(
      out,
      plane.map((v, i) => smooth[i] + 0.5 * (v - smooth[i])),
    ),
  ).toBeLessThan(1e-6);
});
