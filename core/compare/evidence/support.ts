import { localVariance } from "../../chain";
import type { JobHandle } from "../../job";
import { rasterOf, robustSpread, difference } from "../../raster";
import { bands, SUPPORT_SCALES } from "./bands";
import type { EvidenceViews } from "./views";

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
  { before, told, noise, taken, leeway: share, width, height }: EvidenceViews,
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
  for (let j = 0; j < SUPPORT_SCALES; j++) {
    const [variance, ofTaken] = [d[j], e[j]].map((band) => localVariance(rasterOf(width, height, [band]), job)[0]);
    const radius = Math.round(RADIUS * 2 ** j + 1);
    // A Gaussian is not quite the blur that was taken away: where both hold much light, that shows.
    const [ofLane, ofStack] = [x[j], y[j]].map((band) => boxMean(squares(band), width, height, radius));
    const parts = Array.from({ length: 2 }, () => new Float32Array(size));
    for (let i = 0; i < size; i++) {
      const light = Math.min(ofLane[i], Math.max(0, ofStack[i] - variance[i]));
      const leeway = share ** 2 * light;
      parts[0][i] = (r[j][i] ** 2 - ofTaken[i] - leeway) / (variance[i] + leeway);
      parts[1][i] = d[j][i] ** 2 / variance[i] - 1;
    }
    const [difference, own, flux] = [...parts, fine].map((part) => boxMean(part, width, height, radius));
    const scatter = robustSpread(flux, 1 << 16).sigma || 1;
    for (let i = 0; i < size; i++) {
      apart[i] += difference[i];
      chance[i] += own[i];
      light[i] += (Math.max(0, difference[i]) * flux[i]) / scatter;
    }
  }
  const sigma = robustSpread(chance, 1 << 16).sigma || Infinity;
  const ofSign = (sign: number) => apart.map((v, i) => (v > 0 && sign * light[i] > 0 ? v / sigma : 0));
  return { unsupported: ofSign(-1), lost: ofSign(1) };
}

function squares(plane: Float32Array): Float32Array {
  const out = new Float32Array(plane.length);
  for (let i = 0; i < out.length; i++) out[i] = plane[i] * plane[i];
  return out;
}

/** Means over squares of 2 · radius + 1 px, of what of them lies in the plane. */
function boxMean(plane: Float32Array, width: number, height: number, radius: number): Float32Array {
  const rows = alongRows(plane, width, height, radius);
  return transposed(alongRows(transposed(rows, width, height), height, width, radius), height, width);
}

function alongRows(plane: Float32Array, width: number, height: number, radius: number): Float32Array {
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) {
    const start = y * width;
    let [sum, count] = [0, 0];
    for (let x = -radius; x < width; x++) {
      if (x + radius < width) {
        sum += plane[start + x + radius];
        count++;
      }
      if (x - radius - 1 >= 0) {
        sum -= plane[start + x - radius - 1];
        count--;
      }
      if (x >= 0) out[start + x] = sum / count;
    }
  }
  return out;
}

function transposed(plane: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) out[x * height + y] = plane[y * width + x];
  return out;
}
