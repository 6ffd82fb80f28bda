import type { ScatterModel } from "../kernels";

/** What of the expected scatter is the same at all pixels. */
export type LayerScatter = Pick<ScatterModel, "noise" | "signal" | "blur" | "sky">;

/** What lies below so many σ of its noise is taken for noise. */
const NOISE_SIGMA = 3;
/** Variances of a sum of five values of weights 1, 1, 1, 1, −4, and of half a difference of two, as far as noise goes. */
const BEND = NOISE_SIGMA * NOISE_SIGMA * 20;
const RISE = (NOISE_SIGMA * NOISE_SIGMA) / 2;
/** Shifts that registration leaves, in px. */
const SHIFT_PX = 0.1;

const squareOf = (v: number): number => v * v;

/**
 * How steep a picture is at each pixel, beyond its noise: the square of its curvature (∇², in levels per px²) and the square of what a shift of 0.1 px
 * changes. The picture is a median of n layers, whose variance is π/2 of that of a mean. 0 on the border, and where a neighbour has no data.
 */
export function gradientScatter(
  centre: Float32Array,
  width: number,
  height: number,
  { noise, signal, sky }: LayerScatter,
  n: number,
): { curvature: Float32Array; slope: Float32Array } {
  const curvature = new Float32Array(width * height);
  const slope = new Float32Array(width * height);
  const middle = (values: ArrayLike<number>) => Float64Array.from({ length: n }, (_, i) => values[i]).sort()[n >> 1];
  const [variance, perLevel] = [middle(noise), middle(signal)].map((v) => (v * Math.PI) / 2 / n);
  for (let y = 1; y < height - 1; y++)
    for (let x = 1, i = y * width + 1; x < width - 1; x++, i++) {
      const v = centre[i];
      const [left, right, above, below] = [centre[i - 1], centre[i + 1], centre[i - width], centre[i + width]];
      const noise2 = variance + perLevel * Math.max(0, v - sky);
      const bend2 = squareOf(left + right + above + below - 4 * v);
      const rise2 = squareOf((right - left) / 2) + squareOf((below - above) / 2);
      // Squares are compared first: at most pixels there is nothing but noise, and no root to take.
      if (bend2 > BEND * noise2) curvature[i] = squareOf(Math.sqrt(bend2) - Math.sqrt(BEND * noise2));
      if (rise2 > RISE * noise2) slope[i] = squareOf(SHIFT_PX * (Math.sqrt(rise2) - Math.sqrt(RISE * noise2)));
    }
  return { curvature, slope };
}
