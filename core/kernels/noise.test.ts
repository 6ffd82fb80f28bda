import { LEAST_ASYMMETRIC, waveletSigmas } from "../facts";
import { autocovariance } from "../measure";
import { createRandom } from "../numeric/random";
import { blockVariance } from "../operations/noise/blockMatching";
import { fixture, plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";
import { COSINES, highPass } from "./index";

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

describe("second-order total variation", () => {
  const settings = { weight: 1.5, bend: 2, iterations: 1500 };
  const [w, h] = [40, 36];
  const ramp = Float32Array.from({ length: w * h }, (_, i) => 0.7 * (i % w) - 0.4 * Math.floor(i / w));
  const inner = (i: number) => i % w > 5 && i % w < w - 6 && i >= 6 * w && i < w * (h - 6);
  const apart = (a: Float32Array, b: Float32Array) => Math.max(...a.map((v, i) => (inner(i) ? Math.abs(v - b[i]) : 0)));

  test("a slope costs nothing and stays (by definition)", () => {
    expect(apart(wasm.secondVariation(ramp, w, h, settings), ramp)).toBeLessThan(0.1);
  });

  test("a straight edge as high as a closed form has it: lowered by 2 · weight over the width of its sides", () => {
    // Stripes of 20 px: the least of ½ Σ (x − y)² + weight Σ |∇x − w| at w = 0 is y with each stripe nearer to the other by 2 weight/20.
    const stripes = Float32Array.from({ length: 80 * 20 }, (_, i) => (Math.floor((i % 80) / 20) % 2 === 0 ? 0 : 5));
    const out = wasm.secondVariation(stripes, 80, 20, { weight: 1, bend: 50, iterations: 20_000 });
    expect(Math.abs(out[10 * 80 + 30] - (5 - 2 / 20))).toBeLessThan(0.02);
    expect(Math.abs(out[10 * 80 + 50] - 2 / 20)).toBeLessThan(0.02);
  });

  test("more steps change nothing any more: it has come to rest", () => {
    const random = createRandom(9);
    const of = ramp.map((v) => v + random.normal());
    const [few, many] = [1500, 6000].map((iterations) => wasm.secondVariation(of, w, h, { ...settings, iterations }));
    expect(apart(few, many)).toBeLessThan(0.06);
    const error = (a: Float32Array) => Math.sqrt(a.reduce((sum, v, i) => sum + (inner(i) ? (v - ramp[i]) ** 2 : 0), 0));
    const first = wasm.totalVariation(of, w, h, { ...settings, iterations: 800 });
    expect(error(many)).toBeLessThan(0.5 * error(first));
  });
});

test("the bilateral filter as OpenCV computes it", () => {
  const { expected, ...settings } = bilateral;
  const found = wasm.bilateral(picture, width, height, settings);
  expect(worstDifference(found, Float32Array.from(expected))).toBeLessThan(1e-4);
});

test.each(SIZES)("the twins agree at %i × %i", (w, h) => {
  const of = noisy(w * h, w);
  const variation = { weight: 1.3, iterations: 40 };
  const means = { patch: 2, search: 5, h: 0.7, noiseDistance: 1 };
  const likeness = { radius: 3, range: 1.5 };
  const pairs = [plain, wasm].map((kernels) => [
    kernels.totalVariation(of, w, h, variation),
    kernels.nonLocalMeans(of, w, h, means),
    kernels.bilateral(of, w, h, likeness),
    kernels.secondVariation(of, w, h, { weight: 1.3, bend: 2, iterations: 40 }),
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
  const found = wasm.nonLocalMeans(of, w, h, { patch: 2, search: 6, h: 1, noiseDistance: 2 });
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
    wasm.nonLocalMeans(level, 20, 10, { patch: 1, search: 3, h: 1, noiseDistance: 0 }),
    wasm.bilateral(level, 20, 10, { radius: 3, range: 1 }),
  ])
    expect(worstDifference(out, level)).toBeLessThan(1e-5);
});

describe("block matching", () => {
  const white = { variance: new Float32Array(64).fill(1), originX: 0, originY: 0, step: 4 };

  test.each([
    [61, 37, null],
    [61, 37, 2.7],
    [131, 50, null],
    [9, 8, null],
    [7, 5, null],
    [8, 40, 2.7],
  ])("the twins agree at %i × %i, threshold %d", (w, h, threshold) => {
    const of = noisy(w * h, w);
    const pilot = of.map((v, i) => 0.3 * v + 2 * Math.sin(0.05 * i));
    const settings = { ...white, originX: 3, originY: 6, search: 6, group: 8, threshold };
    const [p, q] = [plain, wasm].map((kernels) => kernels.matchBlocks(of, pilot, w, h, settings));
    expect(worstDifference(q, p)).toBeLessThan(1e-4);
  });

  test("alone, without a search, a block is weighed by the power of its own cosines (closed form)", () => {
    // One block whose pilot is one cosine of power 9 beside noise of variance 1: 9/10 of that coefficient stays, nothing else.
    const wave = Float32Array.from({ length: 64 }, (_, i) => 3 * COSINES[2 * 8 + Math.floor(i / 8)] * COSINES[i % 8]);
    const of = wave.map((v, i) => v + COSINES[5 * 8 + (i % 8)] * COSINES[Math.floor(i / 8)]);
    const out = wasm.matchBlocks(of, wave, 8, 8, { ...white, search: 0, group: 1, threshold: null });
    expect(
      worstDifference(
        out,
        wave.map((v) => 0.9 * v),
      ),
    ).toBeLessThan(1e-6);
  });

  test("what repeats is cleaned by its repeats; a coefficient's noise is known from the picture's", () => {
    const [w, h] = [96, 96];
    const random = createRandom(4);
    const clean = Float32Array.from({ length: w * h }, (_, i) =>
      Math.hypot(((i % w) % 24) - 12, (Math.floor(i / w) % 24) - 12) < 6 ? 5 : 0,
    );
    const of = clean.map((v) => v + random.normal());
    const settings = { ...white, search: 26, group: 16, threshold: 2.7 };
    const first = wasm.matchBlocks(of, of, w, h, settings);
    const second = wasm.matchBlocks(of, first, w, h, { ...settings, threshold: null });
    const error = (a: Float32Array) => Math.sqrt(a.reduce((sum, v, i) => sum + (v - clean[i]) ** 2, 0) / a.length);
    expect(error(first)).toBeLessThan(0.4);
    expect(error(second)).toBeLessThan(error(first));
    expect([...blockVariance(Array.from({ length: 289 }, (_, k) => (k === 144 ? 2.5 : 0)))]).toEqual(
      new Array(64).fill(expect.closeTo(2.5, 5)),
    );
  });
});

describe("undecimated wavelets", () => {
  const taps = LEAST_ASYMMETRIC;
  const bands = (scales: number, value: number) => new Array<number>(3 * scales).fill(value);

  test.each([...SIZES, [9, 30]])(
    "the twins agree at %i × %i by every rule; nothing shrunk gives the plane back",
    (w, h) => {
      const of = noisy(w * h, w);
      for (const rule of ["bayes", "soft", "hard"] as const) {
        const settings = {
          taps,
          scales: 3,
          sigma: bands(3, 0.5),
          thresholds: bands(3, rule === "bayes" ? 1 : 1.2),
          rule,
        };
        const [p, q] = [plain, wasm].map((kernels) => kernels.waveletShrink(of, w, h, settings));
        expect(worstDifference(q, p)).toBeLessThan(1e-4);
      }
      const kept = wasm.waveletShrink(of, w, h, {
        taps,
        scales: 3,
        sigma: bands(3, 1),
        thresholds: bands(3, 0),
        rule: "hard",
      });
      expect(worstDifference(kept, of)).toBeLessThan(1e-4);
    },
  );

  test("the taps are those of an orthonormal wavelet with four vanishing moments", () => {
    const shifted = (by: number) => taps.reduce((sum, tap, k) => sum + tap * (taps[k + by] ?? 0), 0);
    expect([0, 2, 4, 6].map(shifted)).toEqual([1, 0, 0, 0].map((v) => expect.closeTo(v, 9)));
    const high = highPass(taps);
    for (let power = 0; power < 4; power++)
      expect(high.reduce((sum, tap, k) => sum + tap * k ** power, 0)).toBeCloseTo(0, 6);
  });

  test("coefficients as PyWavelets' undecimated transform has them, but for where each is said to lie", () => {
    const { side, margin, ...known } = fixture<{ side: number; margin: number; plane: number[]; bands: number[][] }>(
      "wavelets.json",
    );
    // The library convolves, this correlates; which way a wave counts as positive is a convention too.
    const settings = { taps: taps.slice().reverse(), scales: 2 };
    const found = wasm.waveletBands(Float32Array.from(known.plane), side, side, settings);
    expect(known.bands.length).toBe(found.length);
    const inner = side - 2 * margin;
    const difference = (a: Float32Array, b: readonly number[], dx: number, dy: number, sign: number) => {
      let worst = 0;
      for (let y = 0; y < inner - 2 * margin; y++)
        for (let x = 0; x < inner - 2 * margin; x++) {
          const own = a[(y + 2 * margin) * side + x + 2 * margin];
          worst = Math.max(worst, Math.abs(own - sign * b[(y + margin + dy) * inner + x + margin + dx]));
        }
      return worst;
    };
    for (const [k, band] of found.entries()) {
      const shifts = Array.from({ length: 25 * 25 }, (_, n) => [(n % 25) - margin, Math.floor(n / 25) - margin]);
      const all = [1, -1].flatMap((sign) => shifts.map(([dx, dy]) => difference(band, known.bands[k], dx, dy, sign)));
      expect(Math.min(...all)).toBeLessThan(1e-3);
    }
  });

  test("noise of a known correlation has the σ that is stated for each band", () => {
    const [w, h] = [400, 400];
    const random = createRandom(8);
    const rough = Float32Array.from({ length: w * h }, () => random.normal());
    const smooth = wasm.starletSmooth(rough, w, h, 0);
    const covariance = autocovariance([{ plane: smooth, width: w, height: h }], wasm, 8, 1, 1);
    const told = waveletSigmas([...covariance], taps, 3);
    const found = wasm.waveletBands(smooth, w, h, { taps, scales: 3 });
    found.forEach((band, k) => {
      const rms = Math.sqrt(band.reduce((sum, c) => sum + c * c, 0) / band.length);
      expect(Math.abs(told[k] / rms - 1)).toBeLessThan(0.04);
    });
  });
});

test.each([false, true])("sums over lags: both alike, and the defining sum, gaps %s", (hasGaps) => {
  const [w, h] = [37, 29];
  const random = createRandom(91);
  const plane = Float32Array.from({ length: w * h }, (_, i) => (hasGaps && i % 11 === 3 ? NaN : random.normal()));
  const [a, b] = [plain, wasm].map((kernels) => kernels.lagSums(plane, w, h, 4, 2, 1));
  expect([...b.counts]).toEqual([...a.counts]);
  b.sums.forEach((sum, k) => expect(Math.abs(sum - a.sums[k])).toBeLessThan(1e-3));
  // Lag (3, −1) · 2.
  let [sum, count] = [0, 0];
  for (let y = 0; y + 2 < h; y++)
    for (let x = 6; x < w; x++) {
      const product = plane[y * w + x] * plane[(y + 2) * w + x - 6];
      if (!Number.isNaN(product)) [sum, count] = [sum + product, count + 1];
    }
  const at = (4 - 1) * 9 + 4 + 3;
  expect(a.counts[at]).toBe(count);
  expect(a.sums[at]).toBeCloseTo(sum, 6);
  // Every other row shows half as many pairs.
  const [half] = [plain.lagSums(plane, w, h, 4, 2, 2), wasm.lagSums(plane, w, h, 4, 2, 2)].map(({ counts }) => counts);
  expect(half[4 * 9 + 4]).toBe(
    Array.from(plane).filter((v, i) => !Number.isNaN(v) && Math.floor(i / w) % 2 === 0).length,
  );
  expect([...wasm.lagSums(plane, w, h, 4, 2, 2).counts]).toEqual([...half]);
});
