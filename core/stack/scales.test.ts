import { moffatPsf, NO_MEASURES, roundPsf } from "../measure";
import { createRandom } from "../numeric/random";
import { cropRaster, rasterOf } from "../raster";
import { IDENTITY } from "../register";
import { wasmKernels, worstDifference } from "../testing/fixtures";
import type { Scales, SubStars } from "./scales";
import { mergeScales, SCALES_HALO, scalesOf, starsInStack } from "./scales";

const kernels = wasmKernels();
const BETA = 3.5;
const SIZE = { width: 40, height: 30 };
const WIDTHS = [2.2, 2.6, 2.8, 3, 3.2, 3.6, 4];
const VARIANCES = [4, 1, 1.1, 1, 0.9, 1, 1.2];
const ROUND = { beta: BETA, flattening: 0, angle: 0 };
const stars = WIDTHS.map((fwhmPx) => ({ ...ROUND, fwhmPx }));
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

/** A Moffat in the middle of a picture. */
function moffatOn(size: number, { fwhmPx, flattening, angle }: SubStars): Float32Array {
  const [fwhmMajor, fwhmMinor] = [-0.5, 0.5].map((power) => (fwhmPx ?? 0) * (1 - flattening) ** power);
  const psf = moffatPsf({ fwhmMajor, fwhmMinor, angle, beta: BETA }, size >> 1, 0);
  const from = (size - psf.size) / 2;
  const plane = new Float32Array(size * size);
  psf.values.forEach((v, k) => {
    plane[(Math.floor(k / psf.size) + from) * size + (k % psf.size) + from] = v;
  });
  return plane;
}

/** A star of each sub in the middle of a picture, as its stack has it by the two kinds of weights. */
function starOf(size: number, scales: Scales, stars: readonly SubStars[]) {
  const by = (weights: readonly number[]) => {
    const all = weights.reduce((a, b) => a + b, 0);
    const plane = new Float32Array(size * size);
    for (const [i, star] of stars.entries()) {
      moffatOn(size, star).forEach((v, k) => (plane[k] += (weights[i] / all) * v));
    }
    return rasterOf(size, size, [plane]);
  };
  return { coarse: by(scales.coarse[0]), fine: by(scales.fine[0]) };
}

test("stars become one Moffat again, core and wings, narrower than the median sub's", () => {
  const size = 49;
  const { coarse, fine } = starOf(size, scales, stars);
  const [star] = mergeScales(coarse, fine, scales.finish, [0], kernels).planes;
  const values = moffatOn(size, { ...ROUND, fwhmPx: scales.fwhmPx });
  const peak = Math.max(...values);
  expect(worstDifference(star, values)).toBeLessThan(5e-3 * peak);
  const at = (x: number) => (size >> 1) * size + (size >> 1) + x;
  for (const x of [4, 6, 8, 10]) expect(Math.abs(star[at(x)] - values[at(x)])).toBeLessThan(2e-4 * peak);
  // Nothing of the filter stands round a bright star: outwards it falls everywhere, and not below the Moffat.
  for (const [dx, dy] of [
    [1, 0],
    [0, -1],
    [1, 1],
    [-1, 1],
    [2, 1],
  ])
    for (let k = 1; k * Math.max(Math.abs(dx), Math.abs(dy)) < 20; k++) {
      const along = (step: number) => at(step * dx) + step * dy * size;
      expect(star[along(k)]).toBeLessThan(star[along(k - 1)]);
      expect(star[along(k)]).toBeGreaterThan(0.97 * values[along(k)]);
    }
  expect(scales.fwhmPx).toBeLessThan(0.97 * 3);
  expect(star.reduce((a, b) => a + b, 0)).toBeCloseTo(
    coarse.planes[0].reduce((a, b) => a + b, 0),
    2,
  );
});

test("stars of subs that are drawn out one way come out round", () => {
  const size = 49;
  const drawnOut = stars.map((star, i) => ({ ...star, flattening: i % 2 === 0 ? 0.25 : 0, angle: 0.5 }));
  const own = scalesOf(drawnOut, [VARIANCES]) as Scales;
  const { coarse, fine } = starOf(size, own, drawnOut);
  const ratioOf = (plane: Float32Array) => {
    let [xx, xy, yy] = [0, 0, 0];
    plane.forEach((v, k) => {
      const [x, y] = [(k % size) - 24, Math.floor(k / size) - 24];
      if (Math.hypot(x, y) > 6) return;
      xx += v * x * x;
      xy += v * x * y;
      yy += v * y * y;
    });
    const apart = Math.hypot(xx - yy, 2 * xy);
    return Math.sqrt((xx + yy - apart) / (xx + yy + apart));
  };
  expect(ratioOf(coarse.planes[0])).toBeLessThan(0.94);
  expect(ratioOf(mergeScales(coarse, fine, own.finish, [0], kernels).planes[0])).toBeGreaterThan(0.99);
  // Drawn out is worse than round at the same width: it weighs less where detail is fine.
  const [plain, flat] = [stars, stars.map((star, i) => ({ ...star, flattening: i === 3 ? 0.3 : 0 }))].map(
    (of) => (scalesOf(of, [VARIANCES]) as Scales).fine[0],
  );
  expect(flat[3]).toBeLessThan(0.97 * plain[3]);
});

test("what the stars of a sub have in common is turned and scaled with it", () => {
  const measures = { ...NO_MEASURES, fwhmPx: 3, beta: 4, eccentricity: 0.6, elongationAgreement: 0.5 };
  const turn = 0.4;
  const [cos, sin] = [2 * Math.cos(turn), 2 * Math.sin(turn)];
  const stars = starsInStack(
    { ...SIZE, measures: { ...measures, elongationAngle: 0.3 } },
    { kind: "similarity", matrix: [cos, -sin, 0, sin, cos, 0] },
  );
  expect(stars.fwhmPx).toBeCloseTo(6, 9);
  expect(stars.beta).toBe(4);
  expect(stars.flattening).toBeCloseTo(0.5 * 0.2, 12); // √(1 − .6²) = .8
  expect(stars.angle).toBeCloseTo(0.7, 12);
  expect(starsInStack({ ...SIZE, measures: NO_MEASURES }, IDENTITY).flattening).toBe(0);
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

test("subs of one width, or of none that is known, weigh alike at every scale; a sub alone stays itself", () => {
  expect(scalesOf([{ ...ROUND, fwhmPx: 3, flattening: 0.2 }], [[1]])).toBeNull();
  expect(
    scalesOf(
      [3, 3.02, 3.05].map((fwhmPx) => ({ ...ROUND, fwhmPx })),
      [[1, 1, 1]],
    ),
  ).toBeNull();
  expect(
    scalesOf(
      [null, null].map((fwhmPx) => ({ ...ROUND, fwhmPx, beta: null })),
      [[1, 1]],
    ),
  ).toBeNull();
  // One whose width is not known counts as the widest.
  const [unknown, widest] = [null, 4].map((last) =>
    scalesOf(
      [2.4, 4, last].map((fwhmPx) => ({ ...ROUND, fwhmPx })),
      [[1, 1, 1]],
    ),
  );
  expect(unknown).toEqual(widest);
});
