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

/** Light is looked for this far to either side of a line, and its sides are told by so many px beyond. */
const BAND_REACH = 56;
const BAND_SIDE = 12;
const BAND_SEGMENTS = 24;
/** A pixel counts from −3 to 5 σ in a profile; what is above this many σ in the mean along a trail is of it, with gaps of so many px. */
const BAND_CLIP = [-3, 5] as const;
const BAND_LEAST = 0.12;
const BAND_GAP = 12;
const BAND_MARGIN = 2;

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
  const mean = new Float64Array(size);
  let total = 0;
  for (const { profile, count } of parts) {
    total += count;
    for (let i = 0; i < size; i++) mean[i] += count * profile[i];
  }
  const least = Math.max(BAND_LEAST, 4 / Math.sqrt(Math.max(1, total)));
  const isLit = (i: number) => i >= 0 && i < size && meanAround(mean, i, 1) / total > least;
  const reachTo = (step: 1 | -1): number => {
    let last = 0;
    for (let k = 0; k <= BAND_REACH && k - last <= BAND_GAP; k++) if (isLit(BAND_REACH + step * k)) last = k;
    return last + BAND_MARGIN;
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
): { t: number; profile: Float64Array; count: number }[] {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const far = BAND_REACH + BAND_SIDE;
  const [x0, y0] = [offsetPx * c, offsetPx * s];
  const chord = chordOf(width, height, { x0, y0, x1: x0 - s, y1: y0 + c });
  if (!chord) return [];
  const along = (x: number, y: number) => (y - y0) * c - (x - x0) * s;
  const [first, last] = [along(chord.x0, chord.y0), along(chord.x1, chord.y1)].sort((a, b) => a - b);
  const length = (last - first) / BAND_SEGMENTS;
  if (length < 4) return [];
  const parts: { t: number; profile: Float64Array; count: number }[] = [];
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
    const profile = new Float64Array(2 * BAND_REACH + 1);
    let count = 0;
    for (let d = -BAND_REACH; d <= BAND_REACH; d++) {
      const base = spreads[0].centre + ((spreads[1].centre - spreads[0].centre) * (d + BAND_REACH)) / (2 * BAND_REACH);
      const values = rows[d + far];
      let sum = 0;
      for (const v of values) sum += Math.min(BAND_CLIP[1], Math.max(BAND_CLIP[0], (v - base) / sigma));
      profile[d + BAND_REACH] = values.length > 0 ? sum / values.length : 0;
      count += values.length;
    }
    parts.push({ t: first + (k + 0.5) * length, profile, count: count / profile.length });
  }
  return parts;
}
