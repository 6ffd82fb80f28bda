import type { Psf } from "../kernels";
import { goodFftSize } from "../kernels";
import { REACH } from "./covariance";
import type { Spectrum } from "./spectrum";
import { filterOf, ratioOf, spectrumOf } from "./spectrum";

/** A filter that takes a blur back, and what it does to noise in each starlet scale. */
export interface InverseFilter {
  filter: Psf;
  /** Variance of the noise that it leaves. */
  left: number[];
  /** Variance of the noise that the filter before lets through and this one does not; that of the first is 0. */
  taken: number[];
}

/** How many times the radius the grid is wide. */
const GRID_PER_RADIUS = 4.8;

/**
 * Filters that bring what was blurred by `psf` to what `shown` makes of it, G P̄ over (|P|² + ε), one for each ε, 2 · radius + 1 px to a side, of sum 1; and the variance, in each of the first `scales` starlet scales, of noise with an autocovariance (to lags of REACH px, row-major)
 * after each: the mean over all frequencies of its spectrum times |K|² |W_j|², W_j the scale's filter (differences of products of cos⁴ π 2^i f along the axes). Sources: Wiener–Khinchin; Starck, Murtagh & Bijaoui 1998, Image Processing and Data Analysis, 2.5.
 */
export function inverseFilters(
  psf: Psf,
  shown: Psf,
  leastPowers: readonly number[],
  radius: number,
  noise: readonly number[],
  scales: number,
): InverseFilter[] {
  const grid = goodFftSize(GRID_PER_RADIUS * radius);
  const [p, g, power] = [psf, shown, { size: 2 * REACH + 1, values: noise }].map((of) => spectrumOf(of, grid));
  const bands = bandPowers(scales, grid);
  let before: Spectrum | null = null;
  return leastPowers.map((least) => {
    const own = ratioOf(p, g, least);
    const variances = (of: (i: number) => number) => {
      const through = power.re.map((v, i) => Math.max(0, v) * of(i));
      return bands.map((band) => through.reduce((sum, v, i) => sum + v * band[i], 0) / through.length);
    };
    const last = before;
    const left = variances((i) => own.re[i] ** 2 + own.im[i] ** 2);
    const taken = last
      ? variances((i) => (own.re[i] - last.re[i]) ** 2 + (own.im[i] - last.im[i]) ** 2)
      : left.map(() => 0);
    before = { re: own.re.slice(), im: own.im.slice() };
    return { filter: filterOf(own, grid, radius), left, taken };
  });
}

/** |W_j|² of the first starlet scales. */
function bandPowers(scales: number, grid: number): Float64Array[] {
  const smooth = Array.from({ length: scales + 1 }, (_, j) =>
    Float64Array.from({ length: grid }, (_f, k) =>
      Array.from({ length: j }, (_i, i) => Math.cos((Math.PI * 2 ** i * k) / grid) ** 4).reduce((a, b) => a * b, 1),
    ),
  );
  return Array.from({ length: scales }, (_, j) =>
    Float64Array.from({ length: grid * grid }, (_p, i) => {
      const [u, v] = [i % grid, Math.floor(i / grid)];
      return (smooth[j][u] * smooth[j][v] - smooth[j + 1][u] * smooth[j + 1][v]) ** 2;
    }),
  );
}
