import { localVariance } from "../../chain";
import type { JobHandle } from "../../job";
import { boxMeans } from "../../numeric/boxMeans";
import { rasterOf, difference } from "../../raster";
import { bands, SUPPORT_SCALES } from "./bands";
import type { SupportViews } from "./views";

/** The mean over which scale j is told has a radius of this · 2^j + 1 px. */
const RADIUS = 1.5;
/** More than so many σ counts: noise alone exceeds it at about one place in a thousand. */
export const SIGNIFICANT = 3;

/**
 * Maps over the whole of the views (row-major), in σ of what noise alone would say there: where lane and stack differ by more than the noise that the chain takes away.
 *
 * With x the lane (blurred as the stack is), y the stack, d its noise as the halves tell it and e what the chain takes of that noise, all in starlet scale j, and means over squares: C = Σ_j mean(((y − x)² − var e)/var d), variances
 * those about a pixel. Its mean is 0 where the chain takes noise only, and grows with the square of any structure that one of both has and the other has not. Unsupported where the lane has more light there than the stack, lost where it has less: by the sign of Σ_j mean(y − x) without
 * what is coarser than all scales, each mean over its own scatter and weighted by what its scale adds to C. σ is that of the same with noise in place of structure: d for y − x, var d for var e. Where a lane was blurred again, the leeway's share of the light that both hold in a scale counts as noise.
 *
 * Null without halves. O(pixels · scales). Source: derivation; noise from the halves.
 */
export function supportMaps(
  { before, told, noise, taken, leeway: share, width, height }: SupportViews,
  job: JobHandle,
): { unsupported: Float32Array; lost: Float32Array } | null {
  if (!noise || !taken) return null;
  const size = width * height;
  const missing = difference(before, told);
  const bandsOf = (plane: Float32Array) => bands(plane, width, height, job);
  const [r, d, e, x, y] = [missing, noise, taken, told, before].map(bandsOf);
  // What is missing, without what is coarser than all scales: its mean tells whether light is missing or too much.
  const fine = new Float32Array(size);
  for (const band of r) for (let i = 0; i < size; i++) fine[i] += band[i];
  const [apart, chance, light] = Array.from({ length: 3 }, () => new Float32Array(size));
  const part = new Float32Array(size);
  for (let j = 0; j < SUPPORT_SCALES; j++) {
    const [variance, ofTaken] = [d[j], e[j]].map((band) => localVariance(rasterOf(width, height, [band]), job)[0]);
    const means = (of: Float32Array) => boxMeans(of, width, height, Math.round(RADIUS * 2 ** j + 1));
    const squared = (band: Float32Array) => {
      for (let i = 0; i < size; i++) part[i] = band[i] * band[i];
      return means(part);
    };
    // A Gaussian is not quite the blur that was taken away: where both hold much light, that shows.
    const [ofLane, ofStack] = [squared(x[j]), squared(y[j])];
    const ofMissing = r[j];
    for (let i = 0; i < size; i++) {
      const leeway = share * share * Math.min(ofLane[i], Math.max(0, ofStack[i] - variance[i]));
      part[i] = (ofMissing[i] * ofMissing[i] - ofTaken[i] - leeway) / (variance[i] + leeway);
    }
    const differs = means(part);
    const ofNoise = d[j];
    for (let i = 0; i < size; i++) part[i] = (ofNoise[i] * ofNoise[i]) / variance[i] - 1;
    const own = means(part);
    const flux = Float32Array.from(means(fine));
    const scatter = job.kernels.robustSpread(flux, 1 << 16).sigma || 1;
    for (let i = 0; i < size; i++) {
      apart[i] += differs[i];
      chance[i] += own[i];
      light[i] += (Math.max(0, differs[i]) * flux[i]) / scatter;
    }
  }
  const sigma = job.kernels.robustSpread(chance, 1 << 16).sigma || Infinity;
  const ofSign = (sign: number) => apart.map((v, i) => (v > 0 && sign * light[i] > 0 ? v / sigma : 0));
  return { unsupported: ofSign(-1), lost: ofSign(1) };
}
