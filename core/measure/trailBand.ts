import { solveSymmetric } from "../numeric/leastSquares";
import { medianInPlace, robustSpread } from "../raster";
import type { Trail } from "./trail";
import { chordOf } from "./trail";

interface BandPicture {
  plane: Float32Array;
  width: number;
  height: number;
  /** Cells of the reduced picture that lie under stars or have no data. */
  underStars: Uint8Array;
  w: number;
  h: number;
  reduce: number;
}

/** Light is looked for this far to either side of a line, and its sides are measured by so many px beyond. */
const BAND_REACH = 56;
const BAND_SIDE = 12;
const BAND_SEGMENTS = 24;
/** A pixel counts from −3 to 5 σ in a profile; what is above this many σ in the mean along a trail is of it, with gaps of so many px. */
const BAND_CLIP = [-3, 5] as const;
const BAND_LEAST = 0.12;
const BAND_GAP = 12;
const BAND_MARGIN = 2;
/** Wide ones fade out slowly, and the curve through the gas takes some of that off. */
const BAND_SHARE = 1.15;
/** The mean of the parts must lie this many of its own standard errors above their sides. */
const BAND_SIGMA = 4;

/**
 * Place and width of a trail at full size, near a line that the reduced picture gave: profiles across it in 24 parts of its length, each less the
 * line through the medians of its sides, stars left out; the places of their peaks give the line, and the mean profile about it how far the light reaches.
 */
export function measureBand(picture: BandPicture, line: Pick<Trail, "angle" | "offsetPx">): Omit<Trail, "share"> {
  let { angle, offsetPx } = line;
  const size = 2 * BAND_REACH + 1;
  for (let round = 0; round < 2; round++) {
    const parts = profilesAcross(picture, angle, offsetPx);
    // Within what the reduced picture may be off.
    const reach = round === 0 ? 2 * picture.reduce + 3 : 3;
    const peaks = parts.flatMap(({ t, profile }) => {
      const smooth = profile.map((_, i) => meanAround(profile, i, 2));
      let best = BAND_REACH;
      for (let i = BAND_REACH - reach; i <= BAND_REACH + reach; i++) if (smooth[i] > smooth[best]) best = i;
      return smooth[best] > 0.3 ? [{ t, d: best - BAND_REACH }] : [];
    });
    if (peaks.length < 4) break;
    // The median of slopes between pairs, and of what is left (Theil 1950, Sen 1968).
    const slopes = peaks.flatMap((p, i) => peaks.slice(i + 1).map((q) => (q.d - p.d) / (q.t - p.t)));
    const slope = medianInPlace(Float64Array.from(slopes));
    const shift = medianInPlace(Float64Array.from(peaks, ({ t, d }) => d - slope * t));
    // Points t along the line lie slope · t + shift off it; t counts from the foot of the origin's perpendicular.
    const turned = angle - Math.atan(slope);
    offsetPx = (offsetPx + shift) * Math.cos(Math.atan(slope));
    angle = turned;
  }
  const parts = profilesAcross(picture, angle, offsetPx);
  // Gas beside a trail differs from part to part; the trail's light is in most of them.
  const isLit = (i: number): boolean => {
    if (i < 0 || i >= size || parts.length < 4) return false;
    const levels = parts.map(({ profile }) => meanAround(profile, i, 1));
    const mean = levels.reduce((sum, level) => sum + level, 0) / levels.length;
    const variance = levels.reduce((sum, level) => sum + (level - mean) ** 2, 0) / (levels.length - 1);
    return mean > BAND_LEAST && mean > BAND_SIGMA * Math.sqrt(variance / levels.length);
  };
  const reachTo = (step: 1 | -1): number => {
    let last = 0;
    for (let k = 0; k <= BAND_REACH && k - last <= BAND_GAP; k++) if (isLit(BAND_REACH + step * k)) last = k;
    return Math.ceil(BAND_SHARE * last) + BAND_MARGIN;
  };
  const turns = Math.floor(angle / Math.PI);
  const sides = [reachTo(-1), reachTo(1)];
  const [below, above] = turns % 2 === 0 ? sides : sides.reverse();
  // Angles run from 0 to π; half a turn changes the sense of the normal.
  return { angle: angle - turns * Math.PI, offsetPx: turns % 2 === 0 ? offsetPx : -offsetPx, below, above };
}

/** Mean of the values within `reach` of a place. */
function meanAround(values: Float64Array, at: number, reach: number): number {
  let sum = 0;
  let count = 0;
  for (let i = Math.max(0, at - reach); i <= Math.min(values.length - 1, at + reach); i++, count++) sum += values[i];
  return sum / count;
}

/** Profiles across a line in σ of the pixels beside it, part by part of its length. */
function profilesAcross(
  { plane, width, height, underStars, w, h, reduce }: BandPicture,
  angle: number,
  offsetPx: number,
): { t: number; profile: Float64Array }[] {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const far = BAND_REACH + BAND_SIDE;
  const [x0, y0] = [offsetPx * c, offsetPx * s];
  const chord = chordOf(width, height, { x0, y0, x1: x0 - s, y1: y0 + c });
  if (!chord) return [];
  const along = (x: number, y: number) => (y - y0) * c - (x - x0) * s;
  const [first, last] = [along(chord.x0, chord.y0), along(chord.x1, chord.y1)].sort((a, b) => a - b);
  const length = (last - first) / BAND_SEGMENTS;
  if (length < 4) return [];
  const parts: { t: number; profile: Float64Array }[] = [];
  for (let k = 0; k < BAND_SEGMENTS; k++) {
    const rows: number[][] = Array.from({ length: 2 * far + 1 }, () => []);
    for (let t = first + k * length; t < first + (k + 1) * length; t++)
      for (let d = -far; d <= far; d++) {
        const x = Math.round(x0 - t * s + d * c);
        const y = Math.round(y0 + t * c + d * s);
        if (x < 0 || y < 0 || x >= width || y >= height) continue;
        const [cx, cy] = [Math.floor(x / reduce), Math.floor(y / reduce)];
        if (cx < w && cy < h && underStars[cy * w + cx] === 1) continue;
        const v = plane[y * width + x];
        if (v === v) rows[d + far].push(v);
      }
    const side = (from: number, to: number) => Float64Array.from(rows.slice(from, to).flat());
    const sides = [side(0, BAND_SIDE), side(2 * far + 1 - BAND_SIDE, 2 * far + 1)];
    if (sides.some((values) => values.length < 8)) continue;
    const spreads = sides.map((values) => robustSpread(values));
    const sigma = (spreads[0].sigma + spreads[1].sigma) / 2;
    if (!(sigma > 0)) continue;
    const levels = Float64Array.from(rows, (values, i) => {
      const base = spreads[0].centre + ((spreads[1].centre - spreads[0].centre) * (i - BAND_SIDE)) / (2 * BAND_REACH);
      let sum = 0;
      for (const v of values) sum += Math.min(BAND_CLIP[1], Math.max(BAND_CLIP[0], (v - base) / sigma));
      return values.length > 0 ? sum / values.length : NaN;
    });
    const profile = withoutGas(levels).subarray(BAND_SIDE, BAND_SIDE + 2 * BAND_REACH + 1);
    parts.push({ t: first + (k + 0.5) * length, profile });
  }
  return parts;
}

/** Values that lie this many σ above the curve through the others are of the trail. */
const ABOVE_GAS = 2.5;

/**
 * A profile less the cubic through what is not of the trail: gas beside it is smooth. Fitted again and again without what lies above it. Places
 * without data are 0.
 */
function withoutGas(levels: Float64Array): Float64Array {
  const places = Array.from(levels, (v, i) => (v === v ? i : -1)).filter((i) => i >= 0);
  const at = (i: number) => (2 * i) / (levels.length - 1) - 1;
  let kept = places;
  let curve: Float64Array | null = null;
  for (let round = 0; round < 6; round++) {
    const normal = new Float64Array(16);
    const right = new Float64Array(4);
    for (const i of kept) {
      const powers = [1, at(i), at(i) ** 2, at(i) ** 3];
      for (let r = 0; r < 4; r++) {
        right[r] += powers[r] * levels[i];
        for (let c = 0; c < 4; c++) normal[4 * r + c] += powers[r] * powers[c];
      }
    }
    const fit = kept.length >= 24 ? solveSymmetric(normal, right) : null;
    if (!fit) break;
    const own = levels.map((_, i) => fit[0] + fit[1] * at(i) + fit[2] * at(i) ** 2 + fit[3] * at(i) ** 3);
    curve = own;
    const { sigma } = robustSpread(Float64Array.from(kept, (i) => levels[i] - own[i]));
    const next = places.filter((i) => levels[i] - own[i] <= ABOVE_GAS * sigma);
    if (next.length === kept.length) break;
    kept = next;
  }
  return levels.map((v, i) => (v === v ? v - (curve ? curve[i] : 0) : 0));
}
