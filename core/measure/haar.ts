/** Undecimated Haar wavelets: means and half differences of a pixel and the one 2^scale further along each axis. */

/** Bands of a scale: differences along the rows, along the columns, and along both. */
export const HAAR_BANDS = [
  { across: "difference", down: "mean" },
  { across: "mean", down: "difference" },
  { across: "difference", down: "difference" },
] as const;
type Way = "mean" | "difference";

/** (p[i] ± p[i + step])/2 along an axis, or its transpose (p[i] ± p[i − step])/2; what lies beyond the border counts as the pixel at it. */
function along(
  plane: Float32Array,
  width: number,
  isRow: boolean,
  step: number,
  way: Way,
  transposed: boolean,
): Float32Array {
  const height = plane.length / width;
  const sign = way === "mean" ? 0.5 : -0.5;
  const by = transposed ? -step : step;
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [u, v] = isRow
        ? [Math.min(width - 1, Math.max(0, x + by)), y]
        : [x, Math.min(height - 1, Math.max(0, y + by))];
      out[y * width + x] = 0.5 * plane[y * width + x] + sign * plane[v * width + u];
    }
  return out;
}

/** A plane's three bands of a scale, and its mean. */
export function haarSplit(
  plane: Float32Array,
  width: number,
  scale: number,
): { bands: Float32Array[]; mean: Float32Array } {
  const step = 1 << scale;
  const across = {
    mean: along(plane, width, true, step, "mean", false),
    difference: along(plane, width, true, step, "difference", false),
  };
  const of = (row: Way, column: Way) => along(across[row], width, false, step, column, false);
  return { bands: HAAR_BANDS.map(({ across: row, down }) => of(row, down)), mean: of("mean", "mean") };
}

/** The plane whose bands and mean these are, by the transposed filters: of changed bands the mean over all shifts. Exact further than 2^scale px from the border. */
export function haarJoin(
  bands: readonly Float32Array[],
  mean: Float32Array,
  width: number,
  scale: number,
): Float32Array {
  const step = 1 << scale;
  const back = (plane: Float32Array, row: Way, column: Way) =>
    along(along(plane, width, false, step, column, true), width, true, step, row, true);
  const parts = [back(mean, "mean", "mean"), ...HAAR_BANDS.map(({ across, down }, k) => back(bands[k], across, down))];
  return parts[0].map((v, i) => v + parts[1][i] + parts[2][i] + parts[3][i]);
}

/** The taps that make a band of a scale, along one axis. */
export function haarTaps(scale: number, way: Way): Float64Array {
  let taps = Float64Array.of(1);
  for (let j = 0; j <= scale; j++) {
    const next = new Float64Array(taps.length + (1 << j));
    const sign = j === scale && way === "difference" ? -0.5 : 0.5;
    taps.forEach((tap, i) => {
      next[i] += 0.5 * tap;
      next[i + (1 << j)] += sign * tap;
    });
    taps = next;
  }
  return taps;
}
