import { roundPsf } from "../measure";
import { createRandom } from "../numeric/random";
import { cropRaster, rasterOf } from "../raster";
import { wasmKernels, worstDifference } from "../testing/fixtures";
import type { Scales } from "./scales";
import { mergeScales, SCALES_HALO, scalesOf } from "./scales";

const kernels = wasmKernels();
const BETA = 3.5;
const WIDTHS = [2.2, 2.6, 2.8, 3, 3.2, 3.6, 4];
const VARIANCES = [4, 1, 1.1, 1, 0.9, 1, 1.2];
const stars = WIDTHS.map((fwhmPx) => ({ fwhmPx, beta: BETA }));
const scales = scalesOf(stars, [VARIANCES]) as Scales;

/** What a round Moffat leaves of a wave of a frequency along the x axis: a plain sum over its samples. */
function transfer(fwhmPx: number, f: number): number {
  const { size, values } = roundPsf(fwhmPx, BETA, 40);
  const middle = (size - 1) / 2;
  return values.reduce((sum, v, k) => sum + v * Math.cos(2 * Math.PI * f * ((k % size) - middle)), 0);
}

test("at every frequency that subs hold, signal over noise is that of the best weights there", () => {
  const sum = (of: readonly number[]) => of.reduce((a, b) => a + b, 0);
  const share = (of: number[]) => of.map((w) => w / sum(of));
  const [fine, coarse] = [share(scales.fine[0]), share(scales.coarse[0])];
  const alone = share(VARIANCES.map((v) => 1 / v));
  for (const f of [0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3]) {
    const left = WIDTHS.map((width) => transfer(width, f));
    // Along x the smoothing of the finest starlet scale leaves cos⁴ π f.
    const smooth = Math.cos(Math.PI * f) ** 4;
    const snr = (weights: number[]) =>
      sum(weights.map((w, i) => w * left[i])) / Math.sqrt(sum(weights.map((w, i) => w * w * VARIANCES[i])));
    // Source: Zackay & Ofek 2017, equation 7: the best is the root of Σ P²/σ².
    const best = Math.sqrt(sum(left.map((p, i) => (p * p) / VARIANCES[i])));
    const got = snr(fine.map((w, i) => w + smooth * (coarse[i] - w)));
    expect(got / best).toBeGreaterThan(0.985);
    expect(got / best).toBeLessThan(1 + 1e-6);
    if (f >= 0.2) expect(got).toBeGreaterThan(1.04 * snr(alone));
  }
});

/** A round Moffat in the middle of a picture. */
function moffatOn(size: number, fwhmPx: number): Float32Array {
  const psf = roundPsf(fwhmPx, BETA, size >> 1);
  const from = (size - psf.size) / 2;
  const plane = new Float32Array(size * size);
  psf.values.forEach((v, k) => {
    plane[(Math.floor(k / psf.size) + from) * size + (k % psf.size) + from] = v;
  });
  return plane;
}

/** A star of each sub in the middle of a picture, as its stack has it by the two kinds of weights. */
function starOf(size: number) {
  const by = (weights: readonly number[]) => {
    const all = weights.reduce((a, b) => a + b, 0);
    const plane = new Float32Array(size * size);
    for (const [i, fwhmPx] of WIDTHS.entries()) {
      moffatOn(size, fwhmPx).forEach((v, k) => (plane[k] += (weights[i] / all) * v));
    }
    return rasterOf(size, size, [plane]);
  };
  return { coarse: by(scales.coarse[0]), fine: by(scales.fine[0]) };
}

test("stars become one Moffat again, core and wings, narrower than the median sub's", () => {
  const size = 49;
  const { coarse, fine } = starOf(size);
  const [star] = mergeScales(coarse, fine, scales.finish, [0], kernels).planes;
  const values = moffatOn(size, scales.fwhmPx);
  const peak = Math.max(...values);
  expect(worstDifference(star, values)).toBeLessThan(3e-3 * peak);
  const at = (x: number) => (size >> 1) * size + (size >> 1) + x;
  for (const x of [4, 6, 8, 10]) expect(Math.abs(star[at(x)] - values[at(x)])).toBeLessThan(2e-4 * peak);
  expect(scales.fwhmPx).toBeLessThan(0.97 * 3);
  expect(star.reduce((a, b) => a + b, 0)).toBeCloseTo(
    coarse.planes[0].reduce((a, b) => a + b, 0),
    2,
  );
});

test("white noise becomes no stronger than weights by noise alone leave it, in means over 8 px by 2 % at most", () => {
  const random = createRandom(5);
  const side = 256;
  const noises = VARIANCES.map((v) => Float32Array.from({ length: side * side }, () => Math.sqrt(v) * random.normal()));
  const by = (weights: readonly number[]) => {
    const all = weights.reduce((a, b) => a + b, 0);
    const plane = new Float32Array(side * side);
    noises.forEach((noise, i) => noise.forEach((v, k) => (plane[k] += (weights[i] / all) * v)));
    return rasterOf(side, side, [plane]);
  };
  const merged = mergeScales(by(scales.coarse[0]), by(scales.fine[0]), scales.finish, [0], kernels).planes[0];
  const alone = by(VARIANCES.map((v) => 1 / v)).planes[0];
  const rms = (of: ArrayLike<number>) => Math.sqrt(Array.from(of).reduce((sum, v) => sum + v * v, 0) / of.length);
  const means = (plane: Float32Array) =>
    Array.from({ length: 1024 }, (_, k) => {
      let sum = 0;
      for (let i = 0; i < 64; i++) sum += plane[((k >> 5) * 8 + (i >> 3)) * side + (k & 31) * 8 + (i & 7)] / 64;
      return sum;
    });
  expect(rms(merged)).toBeLessThan(1.005 * rms(alone));
  expect(rms(means(merged)) / rms(means(alone))).toBeLessThan(1.03);
});

test("a part gives the bits of the whole; gaps stay, and a level beside them stays what it is", () => {
  const random = createRandom(8);
  const [width, height] = [70, 60];
  const plane = () =>
    Float32Array.from({ length: width * height }, (_, i) => (i % width < 12 ? NaN : 5 + random.normal()));
  const [coarse, fine] = [rasterOf(width, height, [plane()]), rasterOf(width, height, [plane()])];
  const whole = mergeScales(coarse, fine, scales.finish, [5], kernels);
  const part = { x: 20, y: 10, width: 45, height: 40 };
  const own = mergeScales(cropRaster(coarse, part), cropRaster(fine, part), scales.finish, [5], kernels);
  const inside = {
    x: SCALES_HALO,
    y: SCALES_HALO,
    width: part.width - 2 * SCALES_HALO,
    height: part.height - 2 * SCALES_HALO,
  };
  const there = { ...inside, x: inside.x + part.x, y: inside.y + part.y };
  // Without its gap the part has no pixel that a gap reaches.
  const [a, b] = [cropRaster(own, inside), cropRaster(whole, there)].map(({ planes }) => planes[0]);
  a.forEach((v, i) => (i % inside.width) + there.x >= 12 + SCALES_HALO && expect(v).toBe(b[i]));
  const level = rasterOf(width, height, [coarse.planes[0].map((v) => (v === v ? 7 : NaN))]);
  const still = mergeScales(level, level, scales.finish, [5], kernels).planes[0];
  still.forEach((v, i) => (i % width < 12 ? expect(v).toBeNaN() : expect(Math.abs(v - 7)).toBeLessThan(0.02)));
});

test("subs of one width, or of none that is known, weigh alike at every scale", () => {
  expect(
    scalesOf(
      [3, 3.02, 3.05].map((fwhmPx) => ({ fwhmPx, beta: 3 })),
      [[1, 1, 1]],
    ),
  ).toBeNull();
  expect(
    scalesOf(
      [null, null].map((fwhmPx) => ({ fwhmPx, beta: null })),
      [[1, 1]],
    ),
  ).toBeNull();
  // One whose width is not known counts as the widest.
  const [unknown, widest] = [null, 4].map((last) =>
    scalesOf(
      [2.4, 4, last].map((fwhmPx) => ({ fwhmPx, beta: 3 })),
      [[1, 1, 1]],
    ),
  );
  expect(unknown).toEqual(widest);
});
