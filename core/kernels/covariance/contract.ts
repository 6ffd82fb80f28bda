/** Sums of products of pixels (u, v) · step apart, |u|, |v| ≤ reach, row-major over v then u, and how many pairs there were. */
export interface LagSums {
  sums: Float64Array;
  counts: Float64Array;
}

export interface CovarianceKernels {
  /** Over one of `every` rows of a plane; NaN counts for nothing. O(pixels · reach² / every). */
  lagSums(plane: Float32Array, width: number, height: number, reach: number, step: number, every: number): LagSums;
}

/** Lags of one half of the square, each once: those of the other half are the same. */
export function lagsOf(reach: number): [number, number][] {
  const lags: [number, number][] = [];
  for (let v = 0; v <= reach; v++) for (let u = v === 0 ? 0 : -reach; u <= reach; u++) lags.push([u, v]);
  return lags;
}

/** Both halves of the square, given what belongs to each lag of the one. */
export function bothHalves(reach: number, values: Float64Array): Float64Array {
  const side = 2 * reach + 1;
  const out = new Float64Array(side * side);
  lagsOf(reach).forEach(([u, v], k) => {
    out[(reach + v) * side + reach + u] = values[k];
    out[(reach - v) * side + reach - u] = values[k];
  });
  return out;
}
