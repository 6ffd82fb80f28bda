import type { Kernels } from "../kernels";

/** How far autocovariances are followed, in px: what resampling and demosaicing share lies within it. */
export const REACH = 8;
const SIDE = 2 * REACH + 1;

/**
 * Autocovariance at lags (u · step, v · step), |u|, |v| ≤ reach, row-major over v then u; the mean of products over all pairs of pixels of the planes, which should
 * have mean 0; NaN counts for nothing. Of every so many rows one shows enough. O(pixels · reach²).
 */
export function autocovariance(
  planes: readonly { plane: Float32Array; width: number; height: number }[],
  kernels: Kernels,
  reach: number,
  step = 1,
  every = 2,
): Float64Array {
  const each = planes.map(({ plane, width, height }) => kernels.lagSums(plane, width, height, reach, step, every));
  return new Float64Array((2 * reach + 1) ** 2).map((_, k) => {
    const count = each.reduce((sum, { counts }) => sum + counts[k], 0);
    return count > 0 ? each.reduce((sum, { sums }) => sum + sums[k], 0) / count : 0;
  });
}

/** Of channels that were turned into components (facts/components.ts) each has a share of all: the mean of their autocovariances. */
export const meanCovariance = (each: readonly (readonly number[])[]): number[] =>
  each[0].map((_, k) => each.reduce((sum, lags) => sum + lags[k], 0) / each.length);

/** Autocorrelation, to lags of 8 px, of white noise that was smoothed by a Gaussian of σ px: e^(−r²/4σ²). */
export function gaussianCorrelation(sigmaPx: number): Float64Array {
  return Float64Array.from({ length: SIDE * SIDE }, (_, k) => {
    const r2 = ((k % SIDE) - REACH) ** 2 + (Math.floor(k / SIDE) - REACH) ** 2;
    return r2 === 0 ? 1 : sigmaPx > 0 ? Math.exp(-r2 / (4 * sigmaPx * sigmaPx)) : 0;
  });
}

/** The taps of j starlet smoothings along an axis, the middle one at the middle. */
export function smoothingTaps(scales: number): Float64Array {
  let taps = Float64Array.of(1);
  const b3 = [1, 4, 6, 4, 1].map((v) => v / 16);
  for (let j = 0; j < scales; j++) {
    const step = 1 << j;
    const next = new Float64Array(taps.length + 4 * step);
    taps.forEach((tap, i) => b3.forEach((share, k) => (next[i + k * step] += tap * share)));
    taps = next;
  }
  return taps;
}

/** Σ_i f(i) g(i + lag), both centred, by lag from −most to most. */
function correlate(f: Float64Array, g: Float64Array, most: number): Float64Array {
  const [cf, cg] = [f.length >> 1, g.length >> 1];
  return Float64Array.from({ length: 2 * most + 1 }, (_, k) => {
    const lag = k - most;
    let sum = 0;
    for (let i = 0; i < f.length; i++) {
      const j = i - cf + lag + cg;
      if (j >= 0 && j < g.length) sum += f[i] * g[j];
    }
    return sum;
  });
}

/**
 * Covariance of the starlet coefficients of scale `scale` (0 the finest) of noise with the autocovariance `noise` (to lags of 8 px) at lags (u, v) · 2^scale,
 * |u|, |v| ≤ reach: Σ_l noise(l) H(lag − l), H the autocorrelation of the scale's filter. Exact but for noise beyond those lags. Source: derivation.
 */
export function bandCovariance(noise: Float64Array, scale: number, reach: number): Float64Array {
  const step = 1 << scale;
  const most = reach * step + REACH;
  const [fine, coarse] = [smoothingTaps(scale), smoothingTaps(scale + 1)];
  // The filter is φ_j − φ_{j+1}, both products of taps along the axes.
  const pairs = [
    { sign: 1, table: correlate(fine, fine, most) },
    { sign: -2, table: correlate(fine, coarse, most) },
    { sign: 1, table: correlate(coarse, coarse, most) },
  ];
  const side = 2 * reach + 1;
  const out = new Float64Array(side * side);
  for (let v = -reach; v <= reach; v++)
    for (let u = -reach; u <= reach; u++) {
      let sum = 0;
      for (let k = 0; k < SIDE * SIDE; k++) {
        if (noise[k] === 0) continue;
        const dx = u * step - ((k % SIDE) - REACH) + most;
        const dy = v * step - (Math.floor(k / SIDE) - REACH) + most;
        for (const { sign, table } of pairs) sum += sign * noise[k] * table[dx] * table[dy];
      }
      out[(v + reach) * side + u + reach] = sum;
    }
  return out;
}

/**
 * Covariance of noise of the autocovariance `noise` (to lags of 8 px) after filters along the rows and the columns, at lags (u, v) · step, |u|, |v| ≤ reach. Exact but for noise beyond those lags. Source: derivation.
 */
export function filterCovariance(
  noise: Float64Array,
  across: Float64Array,
  down: Float64Array,
  step: number,
  reach: number,
): Float64Array {
  const most = reach * step + REACH;
  const [rows, columns] = [correlate(across, across, most), correlate(down, down, most)];
  const side = 2 * reach + 1;
  return Float64Array.from({ length: side * side }, (_, n) => {
    const [u, v] = [(n % side) - reach, Math.floor(n / side) - reach];
    let sum = 0;
    for (let k = 0; k < SIDE * SIDE; k++) {
      if (noise[k] === 0) continue;
      const dx = u * step - ((k % SIDE) - REACH) + most;
      const dy = v * step - (Math.floor(k / SIDE) - REACH) + most;
      sum += noise[k] * rows[dx] * columns[dy];
    }
    return sum;
  });
}

/** Variance of noise of the autocovariance `noise` (to lags of 8 px) after filters along the rows and the columns: Σ covariance · overlap of the filters. Exact but for noise beyond those lags. */
export function filterVariance(
  noise: readonly number[] | Float64Array,
  across: Float64Array,
  down: Float64Array,
): number {
  const overlap = (taps: Float64Array) =>
    Float64Array.from({ length: SIDE }, (_, k) =>
      taps.reduce((sum, tap, i) => sum + tap * (taps[i + k - REACH] ?? 0), 0),
    );
  const [u, v] = [overlap(across), overlap(down)];
  let sum = 0;
  for (let k = 0; k < SIDE * SIDE; k++) sum += noise[k] * u[k % SIDE] * v[Math.floor(k / SIDE)];
  return Math.max(0, sum);
}
