import type { Memory } from "../../memory";
import type { CombineKernels, CombineResult, CombineSettings, Kept, Means, ScatterModel, Table } from "./contract";
import { checkCube, checkModel, emptyResult, layersOf, SIGMA_PER_MAD, tableOf } from "./contract";

export const combinePlain = (memory: Memory): CombineKernels => ({
  combine: (cube, n, pixels, weights, settings, model, fine) =>
    combine(cube, n, pixels, { weights, fine: fine ?? null }, settings, tableOf(memory, n, settings), model),
  centres,
});

/** A pixel's usable values in ascending order with the layers that they are of. */
interface Pixel {
  sorted: Float64Array;
  order: Int32Array;
  count: number;
  /** Values with data, bad ones too. */
  coverage: number;
}

/** Sorts pixel `p` by insertion, O(n²) at worst. */
function sortInto(pixel: Pixel, cube: Float32Array, n: number, pixels: number, p: number): void {
  const { sorted, order } = pixel;
  let count = 0;
  pixel.coverage = 0;
  for (let i = 0; i < n; i++) {
    const value = cube[i * pixels + p];
    if (value !== value) continue;
    pixel.coverage++;
    if (value === Infinity) continue;
    let at = count++;
    while (at > 0 && sorted[at - 1] > value) {
      sorted[at] = sorted[at - 1];
      order[at] = order[at - 1];
      at--;
    }
    sorted[at] = value;
    order[at] = i;
  }
  pixel.count = count;
}

const emptyPixel = (n: number): Pixel => ({
  sorted: new Float64Array(n),
  order: new Int32Array(n),
  count: 0,
  coverage: 0,
});

function combine(
  cube: Float32Array,
  n: number,
  pixels: number,
  { weights, fine }: { weights: ArrayLike<number>; fine: ArrayLike<number> | null },
  settings: CombineSettings,
  table: Table | undefined,
  model?: ScatterModel,
): CombineResult {
  checkCube(cube, n, pixels, weights);
  const { by, rejector, limits } = settings;
  if (fine) checkCube(cube, n, pixels, fine);
  const out = emptyResult(pixels, fine !== null);
  const pixel = emptyPixel(n);
  const { sorted, order } = pixel;
  const isKept = new Uint8Array(n);
  const scatter = rejector.narrow ? null : expectedScatter(checkModel(model, n, pixels), n, limits);
  const range: Kept = { first: 0, end: 0 };
  for (let p = 0; p < pixels; p++) {
    sortInto(pixel, cube, n, pixels, p);
    const { count, coverage } = pixel;
    if (rejector.narrow) {
      range.first = 0;
      range.end = count;
      rejector.narrow(sorted, count, limits, range, table);
      while (range.first > 0 && range.end > range.first && sorted[range.first - 1] === sorted[range.first])
        range.first--;
      while (range.end > range.first && range.end < count && sorted[range.end] === sorted[range.end - 1]) range.end++;
      for (let k = 0; k < count; k++) isKept[k] = k >= range.first && k < range.end ? 1 : 0;
    } else if (scatter) {
      scatter.at(p);
      for (let k = 0; k < count; k++) isKept[k] = scatter.keeps(order[k], sorted[k]) ? 1 : 0;
    }
    let kept = 0;
    for (let k = 0; k < count; k++)
      if (isKept[k] === 1) {
        sorted[kept] = sorted[k];
        order[kept++] = order[k];
      } else if (scatter ? Math.fround(sorted[k] - scatter.centre()) < 0 : k < range.first) out.below[p]++;
    out.samples += coverage;
    out.rejected += coverage - kept;
    out.kept[p] = kept;
    out.coverage[p] = coverage;
    if (by === "mean") meansInto(out, p, sorted, order, kept, weights);
    else mediansInto(out, p, sorted, order, kept);
    if (fine && out.fine) meansInto(out.fine, p, sorted, order, kept, fine);
  }
  return out;
}

/** The expected scatter in single precision, operation by operation as in assembly.ts. */
function expectedScatter(model: ScatterModel, n: number, limits: { low: number; high: number }) {
  const f = Math.fround;
  const layers = layersOf(model, n);
  const sky = f(model.sky);
  const lows = f(f(limits.low) * f(limits.low));
  const highs = f(f(limits.high) * f(limits.high));
  let centre = 0;
  let light = 0;
  let curvature = 0;
  let slope = 0;
  let lowLimit = 0;
  let highLimit = 0;
  const varianceOf = (i: number): number =>
    f(f(layers[3 * i] + f(layers[3 * i + 1] * light)) + f(f(layers[3 * i + 2] * curvature) + slope));
  return {
    centre: () => centre,
    at(p: number): void {
      centre = model.centre[p];
      curvature = model.curvature[p];
      slope = model.slope[p];
      const above = f(centre - sky);
      light = above > 0 ? above : 0;
      const sigma = f(f(SIGMA_PER_MAD) * model.spread[p]);
      const share = f(f(sigma * sigma) / varianceOf(n));
      const wider = share > 1 ? share : 1;
      lowLimit = f(lows * wider);
      highLimit = f(highs * wider);
    },
    keeps(i: number, value: number): boolean {
      const d = f(value - centre);
      return f(d * d) <= f((d < 0 ? lowLimit : highLimit) * varianceOf(i));
    },
  };
}

function centres(cube: Float32Array, n: number, pixels: number): { median: Float32Array; spread: Float32Array } {
  checkCube(cube, n, pixels);
  const out = { median: new Float32Array(pixels), spread: new Float32Array(pixels) };
  const pixel = emptyPixel(n);
  for (let p = 0; p < pixels; p++) {
    sortInto(pixel, cube, n, pixels, p);
    const values = pixel.sorted.subarray(0, pixel.count);
    out.median[p] = middleOf(values);
    out.spread[p] = middleOf(values.map((v) => Math.abs(v - out.median[p])).sort());
  }
  return out;
}

function meansInto(
  out: Means,
  p: number,
  sorted: Float64Array,
  order: Int32Array,
  kept: number,
  weights: ArrayLike<number>,
): void {
  let sumA = 0;
  let sumB = 0;
  let weightA = 0;
  let weightB = 0;
  for (let k = 0; k < kept; k++) {
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

function mediansInto(out: CombineResult, p: number, sorted: Float64Array, order: Int32Array, kept: number): void {
  const ofHalf = (half: number): Float64Array => sorted.subarray(0, kept).filter((_, k) => order[k] % 2 === half);
  out.mean[p] = middleOf(sorted.subarray(0, kept));
  out.a[p] = middleOf(ofHalf(0));
  out.b[p] = middleOf(ofHalf(1));
}

/** The median of sorted values; NaN for none. */
function middleOf(values: Float64Array): number {
  const n = values.length;
  if (n === 0) return NaN;
  return n % 2 === 1 ? values[n >> 1] : (values[n / 2 - 1] + values[n / 2]) / 2;
}
