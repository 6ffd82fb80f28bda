import type { ScatterModel } from "../kernels";

/** What of the expected scatter is the same at all pixels. */
export type LayerScatter = Pick<ScatterModel, "noise" | "signal" | "blur" | "sky">;

/** What lies below so many σ of its noise is taken for noise. */
const NOISE_SIGMA = 3;
/** Shifts that registration leaves, in px. */
const SHIFT_PX = 0.1;

/**
 * How steep a picture is at each pixel, beyond its noise: the square of its curvature (∇², in levels per px²) and the square of what a shift of 0.1 px
 * changes. The picture is a median of n layers, whose variance is π/2 of that of a mean. 0 on the border, and where a neighbour has no data.
 */
export function flanksOf(
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
      const sigma = Math.sqrt(variance + perLevel * Math.max(0, v - sky));
      // A sum of five values of weights 1, 1, 1, 1, −4, and half a difference of two.
      const bend = Math.abs(left + right + above + below - 4 * v) - NOISE_SIGMA * Math.sqrt(20) * sigma;
      const dx = (right - left) / 2;
      const dy = (below - above) / 2;
      const rise = Math.sqrt(dx * dx + dy * dy) - NOISE_SIGMA * Math.SQRT1_2 * sigma;
      if (bend > 0) curvature[i] = bend * bend;
      if (rise > 0) slope[i] = SHIFT_PX * SHIFT_PX * rise * rise;
    }
  return { curvature, slope };
}
