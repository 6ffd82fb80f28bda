import { solveSymmetric } from "../numeric/leastSquares";
import type { ListedStar } from "../measure";
import { SIGMA_PER_MAD, medianInPlace } from "../raster";
import type { Warp } from "../register";
import { mapPoint } from "../register";

/**
 * How much more or less starlight a sub has at a place than its scale says: exp of a polynomial of degree ≤ 2 in u = (x − centre x) / radius,
 * v = (y − centre y) / radius, reference coordinates; terms 1, u, v, u², uv, v². Thin cloud is not the same over a field.
 */
export interface StarlightField {
  centre: [number, number];
  radius: number;
  terms: number[];
  /** From the pixels that are asked for to those of the reference, where they are not the same. */
  from?: Warp;
}

export function starlightAt({ centre, radius, terms, from }: StarlightField, x: number, y: number): number {
  const [px, py] = from ? mapPoint(from, x, y) : [x, y];
  const [u, v] = [(px - centre[0]) / radius, (py - centre[1]) / radius];
  return Math.exp(powersOf(u, v, terms.length).reduce((sum, power, k) => sum + power * terms[k], 0));
}

const powersOf = (u: number, v: number, count: number): number[] => [1, u, v, u * u, u * v, v * v].slice(0, count);

/** Stars of at least this SNR count; as many of them are needed for each term. */
const LEAST_SNR = 20;
const STARS_A_TERM = 8;
/** Stars lie over one another within this distance. */
const NEAR_PX = 1.5;

/**
 * The field of a sub's starlight against the reference's, by the ratios of matched stars that are not saturated; ratios further than 3 σ off are
 * left out in three rounds. Each further degree must earn its terms (Schwarz's criterion, 1978, Ann. Stat. 6, 461), so that noise makes no field.
 * Null where the scale alone says all.
 */
export function starlightField(
  sub: readonly ListedStar[],
  reference: readonly ListedStar[],
  toReference: Warp,
  scale: number,
  { width, height }: { width: number; height: number },
): StarlightField | null {
  const centre: [number, number] = [(width - 1) / 2, (height - 1) / 2];
  const radius = Math.max(width, height) / 2;
  const usable = ({ saturated, snr, flux }: ListedStar) => !saturated && snr > LEAST_SNR && flux > 0;
  const targets = reference.filter(usable);
  const points = sub.filter(usable).flatMap((star) => {
    const [x, y] = mapPoint(toReference, star.x, star.y);
    const near = targets.find((other) => Math.abs(other.x - x) < NEAR_PX && Math.abs(other.y - y) < NEAR_PX);
    if (!near) return [];
    const [u, v] = [(x - centre[0]) / radius, (y - centre[1]) / radius];
    return [{ u, v, z: Math.log(near.flux / (star.flux * scale)) }];
  });
  const fits = [1, 3, 6].flatMap((count) => (points.length < STARS_A_TERM * count ? [] : [fitTerms(points, count)]));
  let best = fits[0] ?? null;
  for (const fit of fits.slice(1)) if (fit && best && fit.criterion < best.criterion) best = fit;
  return best && best.terms.length > 1 ? { centre, radius, terms: best.terms } : null;
}

interface Point {
  u: number;
  v: number;
  z: number;
}

function fitTerms(points: readonly Point[], count: number): { terms: number[]; criterion: number } | null {
  let kept = points;
  let terms: number[] = [];
  const off = ({ u, v, z }: Point) => z - powersOf(u, v, count).reduce((sum, p, k) => sum + p * (terms[k] ?? 0), 0);
  for (let round = 0; round < 4; round++) {
    const normal = new Float64Array(count * count);
    const right = new Float64Array(count);
    for (const { u, v, z } of kept) {
      const powers = powersOf(u, v, count);
      powers.forEach((p, a) => {
        right[a] += p * z;
        powers.forEach((q, b) => (normal[a * count + b] += p * q));
      });
    }
    const solution = solveSymmetric(normal, right);
    if (!solution) return null;
    terms = [...solution];
    if (round === 3) break;
    const limit = 3 * SIGMA_PER_MAD * medianInPlace(Float64Array.from(points, (point) => Math.abs(off(point))));
    const next = points.filter((point) => Math.abs(off(point)) <= limit);
    if (next.length < STARS_A_TERM * count) break;
    kept = next;
  }
  // Held against one another on the same stars; outliers of the plain scale count as 3 σ of it, whatever the degree.
  const centre = medianInPlace(Float64Array.from(points, ({ z }) => z));
  const cap = (3 * SIGMA_PER_MAD) ** 2 * medianInPlace(Float64Array.from(points, ({ z }) => Math.abs(z - centre))) ** 2;
  const n = points.length;
  const mean = points.reduce((sum, point) => sum + Math.min(cap, off(point) ** 2), 0) / n;
  return { terms, criterion: n * Math.log(Math.max(mean, 1e-18)) + count * Math.log(n) };
}
