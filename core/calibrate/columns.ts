import type { FrameSource, Region } from "../raster";
import { medianInPlace, robustSpread } from "../raster";

/** A part of a column of the sensor whose pixels all lie `offset` above (below) their neighbours': rows y0 … y1 − 1. */
export interface ColumnOffset {
  x: number;
  y0: number;
  y1: number;
  offset: number;
}

/** Rows whose medians are taken together: the ends of a part are known to this. */
const BAND = 32;
/** A part is this many bands long at least, and an eighth of the height: a star, a galaxy or a bled core is shorter. */
const LEAST_BANDS = 3;
/** Mean of a part's bands over its own uncertainty. */
const LEAST_SIGMA = 8;
/** Bands of a part that lie at least half its offset off. */
const AGREEING = 0.8;

/**
 * Columns of a light that stand off their neighbours as a whole or from some row on (a warm
 * column), measured from the light alone: in bands of
 * 32 rows, the median of each column less the mean of the two nearest on either side of the same colour; a part counts whose
 * bands stand off together by 8 times their robust scatter over all columns. What is found first is left out as a neighbour in a second look. In rising x; the
 * two columns of a colour at each side are not looked at.
 * Frames of several channels, of fewer than 96 rows or 5 columns of a colour, and constant ones have none. Reads the frame once.
 * Source: own; additive column offsets are common practice of CCD reduction.
 */
export async function columnOffsets(frame: FrameSource, pitch: 1 | 2): Promise<ColumnOffset[]> {
  const { width, height, channels } = frame;
  const bands = Math.floor(height / BAND);
  if (channels !== 1 || bands < LEAST_BANDS || width < 5 * pitch) return [];
  const levels: Float32Array[] = [];
  for (let b = 0; b < bands; b++) {
    const rows = b === bands - 1 ? height - b * BAND : BAND;
    const { planes } = await frame.read({ x: 0, y: b * BAND, width, height: rows });
    levels.push(...levelsOf(planes[0], width, rows, pitch));
  }
  const first = partsOf(rises(levels, width, pitch, new Set()), width, height);
  if (first.length === 0) return [];
  return partsOf(rises(levels, width, pitch, new Set(first.map(({ x }) => x))), width, height);
}

/** Median of each column of a band, by the colours of its rows. */
function levelsOf(plane: Float32Array, width: number, rows: number, pitch: 1 | 2): Float32Array[] {
  const values = new Float32Array(Math.ceil(rows / pitch));
  return Array.from({ length: pitch }, (_, parity) =>
    Float32Array.from({ length: width }, (_, x) => {
      let n = 0;
      for (let y = parity; y < rows; y += pitch) {
        const v = plane[y * width + x];
        if (v === v) values[n++] = v;
      }
      return n > 0 ? medianInPlace(values, n) : NaN;
    }),
  );
}

/** Each band's column levels less the mean of the two nearest pairs of neighbours left and right; NaN near the sides. */
function rises(levels: Float32Array[], width: number, pitch: 1 | 2, skipped: ReadonlySet<number>): Float32Array[] {
  const pairs = Array.from({ length: width }, (_, x) =>
    [1, 2, 3, 4, 5, 6]
      .map((k) => [x - k * pitch, x + k * pitch])
      .filter(([left, right]) => left >= 0 && right < width && !skipped.has(left) && !skipped.has(right))
      .slice(0, 2)
      .flat(),
  );
  const out: Float32Array[] = [];
  for (let b = 0; b < levels.length; b += pitch) {
    const rows = levels.slice(b, b + pitch);
    const rise = (level: Float32Array, x: number) => level[x] - pairs[x].reduce((sum, k) => sum + level[k], 0) / 4;
    out.push(
      Float32Array.from(pairs, (of, x) =>
        of.length < 4 ? NaN : rows.reduce((sum, level) => sum + rise(level, x), 0) / pitch,
      ),
    );
  }
  return out;
}

function partsOf(bands: Float32Array[], width: number, height: number): ColumnOffset[] {
  const all = bands.flatMap((band) => [...band.filter((v) => v === v)]);
  const { sigma } = robustSpread(all);
  if (!(sigma > 0)) return [];
  const least = Math.max(LEAST_BANDS, Math.ceil(bands.length / 8));
  const sums = new Float64Array(bands.length + 1);
  const found: ColumnOffset[] = [];
  for (let x = 0; x < width; x++) {
    for (let b = 0; b < bands.length; b++) sums[b + 1] = sums[b] + (bands[b][x] || 0);
    let best = LEAST_SIGMA * sigma;
    let part: [number, number] | null = null;
    for (let from = 0; from + least <= bands.length; from++)
      for (let to = from + least; to <= bands.length; to++) {
        const height0 = Math.abs(sums[to] - sums[from]) / Math.sqrt(to - from);
        if (height0 <= best) continue;
        best = height0;
        part = [from, to];
      }
    if (!part) continue;
    const own = Float32Array.from({ length: part[1] - part[0] }, (_, k) => bands[part[0] + k][x]);
    const agreeing = (offset: number) => own.filter((v) => v / offset > 0.5).length / own.length;
    const offset = medianInPlace(own.slice());
    if (!(agreeing(offset) >= AGREEING)) continue;
    found.push({ x, y0: part[0] * BAND, y1: part[1] === bands.length ? height : part[1] * BAND, offset });
  }
  return found;
}

/** Takes the offsets off a region of the frame, but for samples from `saturation` on, which show no height. Changes `plane`. */
export function takeColumnsOff(
  plane: Float32Array,
  region: Region,
  offsets: readonly ColumnOffset[],
  saturation: number,
): void {
  for (const { x, y0, y1, offset } of offsets) {
    if (x < region.x || x >= region.x + region.width) continue;
    const last = Math.min(region.height, y1 - region.y);
    for (let y = Math.max(0, y0 - region.y), i = y * region.width + x - region.x; y < last; y++, i += region.width)
      if (plane[i] < saturation) plane[i] -= offset;
  }
}
