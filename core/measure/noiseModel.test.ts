import { createRandom } from "../numeric/random";
import { wasmKernels } from "../testing/fixtures";
import { autocovariance, bandCovariance, gaussianCorrelation, smoothingTaps } from "./covariance";
import { STARLET_NOISE } from "./noise";
import type { NoiseModel } from "./noiseModel";
import { fitNoiseModel, sigmaAt, stabiliser, strongerNoise } from "./noiseModel";

const kernels = wasmKernels();

test("noise against signal is found again: read noise, photons, and what grows with the light", () => {
  const random = createRandom(3);
  const [a, b, c] = [4, 0.5, 0.002];
  const n = 200_000;
  const level = Float32Array.from({ length: n }, () => 100 + 400 * random.uniform() ** 4);
  const noise = level.map((v) => Math.sqrt(a + b * (v - 100) + c * (v - 100) ** 2) * random.normal());
  const found = fitNoiseModel(level, noise);
  for (const at of [100, 110, 150, 300, 450]) {
    const light = at - 100;
    expect(Math.abs(sigmaAt(found, at) / Math.sqrt(a + b * light + c * light * light) - 1)).toBeLessThan(0.03);
  }
  expect(found.falling).toBeNull();
  // Without the square a straight line is all there is.
  expect(fitNoiseModel(level, noise, false).c).toBe(0);
});

test("a picture without noise, one level, and nothing at all", () => {
  expect(fitNoiseModel(Float32Array.of(1, 2, 3), Float32Array.of(0, 0, 0))).toMatchObject({ a: 0, b: 0, c: 0 });
  expect(fitNoiseModel(new Float32Array(0), new Float32Array(0))).toEqual({ ...NOTHING, zero: 0 });
  const random = createRandom(1);
  const flat = fitNoiseModel(
    new Float32Array(5000).fill(7),
    Float32Array.from({ length: 5000 }, () => random.normal()),
  );
  expect(Math.sqrt(flat.a)).toBeCloseTo(1, 1);
  expect(stabiliser({ ...NOTHING, b: 1, c: 1 })).toBeNull();
});

test("after a stretch noise falls with the light, and is measured level by level: within 8 % of the slope of the curve", () => {
  const random = createRandom(8);
  const n = 200_000;
  const a = 300;
  // An arcsinh curve of linear data with even noise of σ: σ of what comes out is σ · dy/dx (derivation: propagation of errors).
  const sigma = 4e-4;
  const light = Float64Array.from({ length: n }, () => 0.5 * random.uniform() ** 6);
  const level = Float32Array.from(light, (x) => Math.asinh(a * x) / Math.asinh(a));
  const slope = (x: number) => a / Math.sqrt(1 + (a * x) ** 2) / Math.asinh(a);
  const noise = Float32Array.from(light, (x) => sigma * slope(x) * random.normal());
  const found = fitNoiseModel(level, noise);
  if (!found.falling) throw new Error("taken for noise that does not fall");
  for (const x of [0.0005, 0.002, 0.01, 0.1, 0.3]) {
    const y = Math.asinh(a * x) / Math.asinh(a);
    expect(Math.abs(sigmaAt(found, y) / (sigma * slope(x)) - 1)).toBeLessThan(0.08);
  }
  const twice = strongerNoise(found, 2);
  expect(sigmaAt(twice, 0.6)).toBeCloseTo(2 * sigmaAt(found, 0.6), 12);
  expect(twice.a).toBeCloseTo(4 * found.a, 12);
  // Made even, it is even.
  const even = stabiliser(found);
  const [clean, noisy] = [level, level.map((v, i) => v + noise[i])].map((plane) => even?.forward(plane) ?? plane);
  for (const [from, to] of [
    [0.05, 0.3],
    [0.3, 0.6],
    [0.6, 0.9],
  ]) {
    const off = [...noisy].flatMap((v, i) => (level[i] > from && level[i] < to ? [v - clean[i]] : []));
    const rms = Math.sqrt(off.reduce((sum, v) => sum + v * v, 0) / off.length);
    expect(Math.abs(rms - 1)).toBeLessThan(0.08);
  }
});

const NOTHING: NoiseModel = { zero: 0, a: 0, b: 0, c: 0, falling: null };
const FALLING = { level: [2, 3, 10, 12, 300], sigma: [2, 2, 1.2, 1.3, 0.02] };

test.each<[string, NoiseModel]>([
  ["noise alone", { ...NOTHING, zero: 3, a: 2 }],
  ["with photons", { ...NOTHING, zero: 3, a: 2, b: 0.7 }],
  ["with all", { ...NOTHING, zero: 3, a: 2, b: 0.7, c: 0.01 }],
  ["without photons", { ...NOTHING, zero: 3, a: 2, c: 0.01 }],
  ["falling", { ...NOTHING, zero: 2, a: 4, falling: FALLING }],
])("made even, %s: the slope is one over σ at every level, and the way back is exact", (_, model) => {
  const even = stabiliser(model);
  if (!even) throw new Error("no noise");
  for (const level of [-20, 2.5, 3.5, 10, 200, 5000]) {
    const step = 1e-3 * Math.max(1, Math.abs(level));
    const [low, high] = even.forward(Float64Array.of(level - step, level + step) as unknown as Float32Array);
    expect(Math.abs(((high - low) / (2 * step)) * sigmaAt(model, level) - 1)).toBeLessThan(1e-3);
    const [back] = even.back(even.forward(Float32Array.of(level)));
    expect(Math.abs(back - level)).toBeLessThan(1e-5 * Math.max(10, Math.abs(level)));
  }
});

test("taps of j smoothings are what smoothing makes of a single pixel", () => {
  const side = 65;
  const dot = new Float32Array(side * side);
  dot[32 * side + 32] = 1;
  let smooth: Float32Array = dot;
  for (let j = 0; j < 3; j++) smooth = kernels.starletSmooth(smooth, side, side, j);
  const taps = smoothingTaps(3);
  const half = taps.length >> 1;
  for (let x = 0; x < side; x++) {
    const tap = Math.abs(x - 32) <= half ? taps[x - 32 + half] : 0;
    expect(smooth[32 * side + x]).toBeCloseTo(tap * taps[half], 7);
  }
});

test("noise of a starlet scale: of white noise as it is printed, of smoothed noise as it is measured", () => {
  const white = gaussianCorrelation(0);
  for (let scale = 0; scale < 6; scale++)
    expect(Math.sqrt(bandCovariance(white, scale, 0)[0])).toBeCloseTo(STARLET_NOISE[scale], 9);
  const random = createRandom(11);
  const side = 512;
  const plane = kernels.starletSmooth(
    Float32Array.from({ length: side * side }, () => random.normal()),
    side,
    side,
    0,
  );
  const noise = autocovariance([{ plane, width: side, height: side }], kernels, 8);
  // White noise through the taps [1 4 6 4 1]/16 in both directions: variance (70/256)².
  expect(noise[8 * 17 + 8] / (70 / 256) ** 2).toBeCloseTo(1, 1);
  let current: Float32Array = plane;
  for (let scale = 0; scale < 4; scale++) {
    const smooth = kernels.starletSmooth(current, side, side, scale);
    const detail = current.map((v, i) => v - smooth[i]);
    const told = bandCovariance(noise, scale, 1);
    const seen = autocovariance([{ plane: detail, width: side, height: side }], kernels, 1, 1 << scale, 1);
    // Coarse scales of one field scatter: about 1/√(number of independent places).
    for (let k = 0; k < 9; k++) expect(Math.abs(told[k] - seen[k]) / seen[4]).toBeLessThan(0.02 + 0.015 * 2 ** scale);
    current = smooth;
  }
});
