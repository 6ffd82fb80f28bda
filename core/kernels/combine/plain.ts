import type { CombineKernels, CombineResult, CombineSettings, Kept } from "./contract";
import { checkCube, emptyResult } from "./contract";

export const combinePlain: CombineKernels = { combine };

/** O(n²) a pixel at worst; values are sorted once, by insertion. */
function combine(
  cube: Float32Array,
  n: number,
  pixels: number,
  weights: ArrayLike<number>,
  { by, rejector, limits }: CombineSettings,
): CombineResult {
  checkCube(cube, n, pixels, weights);
  const out = emptyResult(pixels);
  const sorted = new Float64Array(n);
  const order = new Int32Array(n);
  const range: Kept = { first: 0, end: 0 };
  for (let p = 0; p < pixels; p++) {
    let count = 0;
    for (let i = 0; i < n; i++) {
      const value = cube[i * pixels + p];
      if (value !== value) continue;
      let at = count++;
      while (at > 0 && sorted[at - 1] > value) {
        sorted[at] = sorted[at - 1];
        order[at] = order[at - 1];
        at--;
      }
      sorted[at] = value;
      order[at] = i;
    }
    range.first = 0;
    range.end = count;
    rejector.narrow(sorted, count, limits, range);
    out.samples += count;
    out.rejected += count - (range.end - range.first);
    out.kept[p] = range.end - range.first;
    out.coverage[p] = count;
    if (by === "mean") meansInto(out, p, sorted, order, range, weights);
    else mediansInto(out, p, sorted, order, range);
  }
  return out;
}

function meansInto(
  out: CombineResult,
  p: number,
  sorted: Float64Array,
  order: Int32Array,
  { first, end }: Kept,
  weights: ArrayLike<number>,
): void {
  let sumA = 0;
  let sumB = 0;
  let weightA = 0;
  let weightB = 0;
  for (let k = first; k < end; k++) {
    const i = order[k];
    const w = weights[i];
    if (i % 2 === 0) {
      sumA += w * sorted[k];
      weightA += w;
    } else {
      sumB += w * sorted[k];
      weightB += w;
    }
  }
  out.mean[p] = (sumA + sumB) / (weightA + weightB);
  out.a[p] = sumA / weightA;
  out.b[p] = sumB / weightB;
}

function mediansInto(
  out: CombineResult,
  p: number,
  sorted: Float64Array,
  order: Int32Array,
  { first, end }: Kept,
): void {
  const ofHalf = (half: number): Float64Array =>
    sorted.slice(first, end).filter((_, k) => order[first + k] % 2 === half);
  out.mean[p] = middleOf(sorted.subarray(first, end));
  out.a[p] = middleOf(ofHalf(0));
  out.b[p] = middleOf(ofHalf(1));
}

/** The median of sorted values; NaN for none. */
function middleOf(values: Float64Array): number {
  const n = values.length;
  if (n === 0) return NaN;
  return n % 2 === 1 ? values[n >> 1] : (values[n / 2 - 1] + values[n / 2]) / 2;
}
