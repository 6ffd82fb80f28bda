import { localVariance } from "../../chain";
import type { JobHandle } from "../../job";
import { boxMeans } from "../../numeric/boxMeans";
import { rasterOf, difference } from "../../raster";
import { bands } from "./bands";
import type { SupportViews } from "./views";

/** The mean over which scale j is measured has a radius of this · 2^j + 1 px. */
const RADIUS = 1.5;
/** More than so many σ counts: noise alone exceeds it at about one place in a thousand. */
export const SIGNIFICANT = 3;

/** A lane that was blurred again may be off by this share of the light in a scale, where what it is off by itself is known and taken off. */
const REST_TOLERANCE = 0.003;

/**
 * Maps over the whole of the views (row-major), in σ of what noise alone would say there: where lane and stack differ by more than the noise that the chain takes away.
 *
 * With x the lane (blurred as the stack is), y the stack, d its noise as the halves show it and e
 * what the chain takes of that noise, all in starlet scale j, and means over squares: C = Σ_j
 * mean(((y − x)² − var e)/var d), variances
 * those about a pixel. Its mean is 0 where the chain takes noise only, and grows with the square of any structure that one of both has and the other has not. Unsupported where the lane has more light there than the stack, lost where it has less: by the sign of Σ_j mean(y − x) without
 * what is coarser than all scales, each mean over its own scatter and weighted by what its scale adds to C. σ is that of the same with noise in place of structure: d for y − x, var d for var e.
 *
 * Where a lane was blurred again, a share of the light that both hold in a scale counts as noise: the tolerance. What the chain is off from its own answer there, b (bootstrapResidual.ts), is taken off instead: y − x − a b, a = mean((y − x) b)/mean(b²) between 0 and 1, so that nothing is taken off that is not in y − x, and no more than a share of the light (`ownWays`); its noise, a² var e, and a small share of the light count as noise.
 *
 * Null without halves. O(pixels · scales). Source: derivation; noise from the halves.
 */
export function supportMaps(
  views: SupportViews,
  job: JobHandle,
): { unsupported: Float32Array; lost: Float32Array } | null {
  const scales = differencesByScale(views, job);
  if (!scales) return null;
  const size = views.width * views.height;
  // What is missing, without what is coarser than all scales: its mean shows whether light is missing or too much.
  const [fine, apart, chance, goes] = Array.from({ length: 4 }, () => new Float32Array(size));
  for (const { missing } of scales) for (let i = 0; i < size; i++) fine[i] += missing[i];
  for (const { differs, chance: own, means } of scales) {
    const flux = Float32Array.from(means(fine));
    const scatter = job.kernels.robustSpread(flux, 1 << 16).sigma || 1;
    for (let i = 0; i < size; i++) {
      apart[i] += differs[i];
      chance[i] += own[i];
      goes[i] += (Math.max(0, differs[i]) * flux[i]) / scatter;
    }
  }
  const sigma = job.kernels.robustSpread(chance, 1 << 16).sigma || Infinity;
  // A place of which nothing is known stays NaN: it is not one where nothing is missing.
  const ofSign = (sign: number) => apart.map((v, i) => (v !== v ? NaN : v > 0 && sign * goes[i] > 0 ? v / sigma : 0));
  return { unsupported: ofSign(-1), lost: ofSign(1) };
}

interface ScaleDifference {
  /** y − x, without the chain's own ways. */
  missing: Float32Array;
  /** How far that goes beyond the noise, in variances of d. */
  differs: Float64Array;
  /** The same of noise alone. */
  chance: Float64Array;
  /** Means over the squares of this scale. */
  means: (of: Float32Array) => Float64Array;
}

/** What lane and stack differ by, scale by scale; null without halves. */
function differencesByScale(
  { before, told, noise, taken, tolerance, ownWays, byItself, width, height }: SupportViews,
  job: JobHandle,
): ScaleDifference[] | null {
  if (!noise || !taken) return null;
  const size = width * height;
  const bandsOf = (plane: Float32Array) => bands(plane, width, height, job);
  const [r, d, e, x, y] = [difference(before, told), noise, taken, told, before].map(bandsOf);
  const b = byItself && bandsOf(byItself);
  const share = b ? REST_TOLERANCE : tolerance;
  const part = new Float32Array(size);
  return d.map((ofNoise, j) => {
    const [variance, ofTaken] = [ofNoise, e[j]].map((band) => localVariance(rasterOf(width, height, [band]), job)[0]);
    const means = (of: Float32Array) => boxMeans(of, width, height, Math.round(RADIUS * 2 ** j + 1));
    const products = (p: Float32Array, q: Float32Array) => {
      for (let i = 0; i < size; i++) part[i] = p[i] * q[i];
      return means(part);
    };
    const [ofLane, ofStack] = [products(x[j], x[j]), products(y[j], y[j])];
    const light = ofLane.map((v, i) => Math.min(v, Math.max(0, ofStack[i] - variance[i])));
    const [missing, known] = [r[j].slice(), new Float32Array(size)];
    if (b) {
      const [along, own] = [products(r[j], b[j]), products(b[j], b[j])];
      for (let i = 0; i < size; i++) {
        if (!(own[i] > 0)) continue;
        known[i] = Math.min(Math.max(0, along[i] / own[i]), 1, ownWays * Math.sqrt(light[i] / own[i]));
        missing[i] -= known[i] * b[j][i];
      }
    }
    const off = light.map((v, i) => share * share * v + known[i] * known[i] * ofTaken[i]);
    for (let i = 0; i < size; i++) part[i] = (missing[i] * missing[i] - ofTaken[i] - off[i]) / (variance[i] + off[i]);
    const differs = means(part);
    for (let i = 0; i < size; i++) part[i] = (ofNoise[i] * ofNoise[i]) / variance[i] - 1;
    return { missing, differs, chance: means(part), means };
  });
}
