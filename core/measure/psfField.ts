import { solveSymmetric } from "../numeric/leastSquares";
import { SIGMA_PER_MAD, medianInPlace } from "../raster";
import type { MoffatShape } from "./psf";

/** How a star is drawn out: the matrix of its squared FWHM, x² xy y² (means of squares keep the turn). */
export type Widths = readonly [xx: number, xy: number, yy: number];

/** A star's place in px of the picture, and its widths there. */
export interface PlacedWidths {
  x: number;
  y: number;
  widths: Widths;
}

/** Widths as polynomials of the place: terms 1, u, v, u², uv, v² … with u = (x − x0)/scale, v = (y − y0)/scale; beyond where stars were seen they go on, no farther than `least` … `most`. */
export interface PsfField {
  x0: number;
  y0: number;
  scale: number;
  degree: number;
  /** Of each of the three widths, one a term. */
  terms: number[][];
  least: number[];
  most: number[];
  /** Side of the squares within which it is taken for even: from the middle of one to its edge, widths change by hardly a fiftieth. */
  tilePx: number;
}

const DEGREES = [1, 2] as const;
/** Stars that each term needs. */
const STARS_PER_TERM = 8;
const PARTS = 10;
/** Stars beyond so many scatters of the field are left out. */
const CLIP = 4;
/** A field must foretell stars that it has not seen better, by so many times what chance would make of that, and differ from one shape by this share (rms, of widths). */
const [SURE, LEAST_CHANGE] = [4, 0.01];
/** Widths change over a tile by no more than this share, where it need not be smaller than the least: each brings its surroundings along. */
const TILE_CHANGE = 0.04;
const [LEAST_TILE, MOST_TILE, TILE_STEP] = [192, 512, 32];
/** How far beyond the widths that were seen a field goes, as a share of their range. */
const BEYOND = 0.5;

/** A Moffat profile's shape as the matrix of its squared widths. */
export function widthsOf({ fwhmMajor, fwhmMinor, angle }: Omit<MoffatShape, "beta">): Widths {
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const [p, q] = [fwhmMajor ** 2, fwhmMinor ** 2];
  return [p * cos * cos + q * sin * sin, (p - q) * cos * sin, p * sin * sin + q * cos * cos];
}

/** The profile of such widths; the short axis is no shorter than a fifth of the long one. */
export function shapeOfWidths([a, b, c]: Widths, beta: number): MoffatShape {
  const [mean, split] = [(a + c) / 2, Math.hypot((a - c) / 2, b)];
  return {
    fwhmMajor: Math.sqrt(mean + split),
    fwhmMinor: Math.sqrt(Math.max(mean - split, 0.04 * (mean + split))),
    angle: 0.5 * Math.atan2(2 * b, a - c),
    beta,
  };
}

/**
 * How the stars' widths change over the picture; null where one shape foretells stars that were left out of the fit as well (ten-fold cross-validation, mean gain against its own error), or the change is below one per cent.
 * Of degree 1 or 2, whichever foretells better. Source: Stone 1974, J. R. Stat. Soc. B 36, 111 (cross-validation); least squares.
 */
export function fitPsfField(stars: readonly PlacedWidths[]): PsfField | null {
  if (stars.length < STARS_PER_TERM * termsOf(0, 0, DEGREES[0]).length) return null;
  const [x0, y0] = [mean(stars.map(({ x }) => x)), mean(stars.map(({ y }) => y))];
  const scale = Math.max(1, ...stars.map(({ x, y }) => Math.max(Math.abs(x - x0), Math.abs(y - y0))));
  const at = ({ x, y }: { x: number; y: number }, degree: number) =>
    termsOf((x - x0) / scale, (y - y0) / scale, degree);
  let kept = [...stars];
  let best: { degree: number; errors: number[] } = { degree: 0, errors: [] };
  for (let round = 0; round < 2; round++) {
    best = { degree: 0, errors: foretold(kept, (star) => at(star, 0)) };
    for (const degree of DEGREES) {
      if (kept.length < STARS_PER_TERM * at(kept[0], degree).length) break;
      const errors = foretold(kept, (star) => at(star, degree));
      const gains = errors.map((e, i) => best.errors[i] - e);
      if (mean(gains) > SURE * errorOfMean(gains)) best = { degree, errors };
    }
    const limit = CLIP ** 2 * (SIGMA_PER_MAD * medianOf(best.errors.map(Math.sqrt))) ** 2;
    if (round === 0) kept = kept.filter((_, i) => best.errors[i] <= limit);
  }
  if (best.degree === 0) return null;
  const terms = [0, 1, 2].map((k) =>
    solved(
      kept.map((star) => at(star, best.degree)),
      kept.map(({ widths }) => widths[k]),
    ),
  );
  if (terms.some((of) => of === null)) return null;
  const known = terms as Float64Array[];
  const seen = kept.map((star) => known.map((of) => dot(of, at(star, best.degree))));
  const middle = known.map((_, k) => mean(seen.map((of) => of[k])));
  const square = (middle[0] + middle[2]) / 2;
  const change =
    Math.sqrt(mean(seen.map((of) => of.reduce((sum, v, k) => sum + (v - middle[k]) ** 2, 0)))) / (2 * square);
  if (change < LEAST_CHANGE) return null;
  const [low, high] = [Math.min, Math.max].map((of) => known.map((_, k) => of(...seen.map((one) => one[k]))));
  const steepest = Math.max(...kept.map((star) => slope(known, at, star, best.degree)));
  const tile = (TILE_CHANGE * 2 * square) / Math.max(steepest, 1e-12);
  return {
    x0,
    y0,
    scale,
    degree: best.degree,
    terms: known.map((of) => Array.from(of)),
    least: low.map((v, k) => v - BEYOND * (high[k] - v)),
    most: high.map((v, k) => v + BEYOND * (v - low[k])),
    tilePx: Math.min(MOST_TILE, Math.max(LEAST_TILE, Math.floor(tile / TILE_STEP) * TILE_STEP)),
  };
}

/** The PSF of a place by a field; β is one for all. */
export function shapeAt(
  { x0, y0, scale, degree, terms, least, most }: PsfField,
  beta: number,
  x: number,
  y: number,
): MoffatShape {
  const at = termsOf((x - x0) / scale, (y - y0) / scale, degree);
  const [a, b, c] = terms.map((of, k) => Math.min(most[k], Math.max(least[k], dot(of, at))));
  return shapeOfWidths([a, b, c], beta);
}

/** 1, u, v, u², uv, v² … up to a degree. */
function termsOf(u: number, v: number, degree: number): number[] {
  const out: number[] = [];
  for (let total = 0; total <= degree; total++)
    for (let power = total; power >= 0; power--) out.push(u ** power * v ** (total - power));
  return out;
}

/** Of each star the squared error (all three widths) of what a fit without its part of the stars foretells. */
function foretold(stars: readonly PlacedWidths[], terms: (star: PlacedWidths) => number[]): number[] {
  const rows = stars.map(terms);
  const errors = new Array<number>(stars.length).fill(0);
  for (let part = 0; part < PARTS; part++)
    for (let k = 0; k < 3; k++) {
      const others = stars.flatMap((_, i) => (i % PARTS === part ? [] : [i]));
      const fit = solved(
        others.map((i) => rows[i]),
        others.map((i) => stars[i].widths[k]),
      );
      for (let i = part; i < stars.length; i += PARTS)
        errors[i] += fit ? (stars[i].widths[k] - dot(fit, rows[i])) ** 2 : Infinity;
    }
  return errors;
}

/** Least squares; null where the places do not distinguish the terms. */
function solved(rows: readonly number[][], values: readonly number[]): Float64Array | null {
  const n = rows[0].length;
  const [normal, right] = [new Float64Array(n * n), new Float64Array(n)];
  rows.forEach((row, i) => {
    for (let p = 0; p < n; p++) {
      right[p] += row[p] * values[i];
      for (let q = 0; q < n; q++) normal[p * n + q] += row[p] * row[q];
    }
  });
  return solveSymmetric(normal, right);
}

/** How much the widths change per px at a star, at most in any direction. */
function slope(
  terms: readonly Float64Array[],
  at: (place: { x: number; y: number }, degree: number) => number[],
  { x, y }: PlacedWidths,
  degree: number,
): number {
  const along = (dx: number, dy: number) =>
    Math.hypot(
      ...terms.map(
        (of) => dot(of, at({ x: x + dx, y: y + dy }, degree)) - dot(of, at({ x: x - dx, y: y - dy }, degree)),
      ),
    ) / 2;
  return Math.hypot(along(1, 0), along(0, 1));
}

const dot = (a: ArrayLike<number>, b: readonly number[]): number => b.reduce((sum, v, k) => sum + v * a[k], 0);
const mean = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / values.length;
const medianOf = (values: readonly number[]): number => medianInPlace(Float64Array.from(values));
function errorOfMean(values: readonly number[]): number {
  const middle = mean(values);
  return Math.sqrt(mean(values.map((v) => (v - middle) ** 2)) / values.length);
}
