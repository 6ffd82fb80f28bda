import type { Region } from "@/core/raster";
import { quantile } from "@/core/raster";
import type { StoredStrip } from "./strips";
import { planeOf, rejectionsOf } from "./strips";

/** Strips of a picture, one below the other, and where its first pixel lies in the picture that was made. */
export interface StripPicture {
  strips: StoredStrip[];
  width: number;
  height: number;
  left: number;
  top: number;
}

/**
 * A picture cut to where enough subs cover it: the largest rectangle, of those that share its middle row and column, whose sides are covered by `least` of the best coverage
 * almost everywhere (what was rejected, and gaps inside, do not count); the best is what nine tenths of the picture do not exceed (half of it, of drops). Coverage of drops, which varies from pixel to pixel, is looked at
 * in means of `block` px. The picture itself for 0, or where nothing is left.
 */
export async function croppedTo(
  picture: StripPicture,
  channels: number,
  least: number,
  block = 1,
): Promise<StripPicture> {
  if (least === 0) return picture;
  const coverage = await coverageOf(picture, channels, block > 1);
  const { width, height } = picture;
  const [columns, rows] = [Math.floor(width / block), Math.floor(height / block)];
  const found = coveredRegion(
    inBlocks(coverage, width, columns, rows, block),
    columns,
    rows,
    least,
    block === 1 ? 0.9 : 0.5,
  );
  const kept = found && {
    x: found.x * block,
    y: found.y * block,
    // What is left over at the far sides goes with the last block.
    width: found.x + found.width === columns ? width - found.x * block : found.width * block,
    height: found.y + found.height === rows ? height - found.y * block : found.height * block,
  };
  if (!kept || (kept.width === picture.width && kept.height === picture.height)) return picture;
  const strips: StoredStrip[] = [];
  let row = 0;
  for (const strip of picture.strips) {
    const rows = strip.planeBytes / 4 / picture.width;
    const first = Math.max(0, kept.y - row);
    const last = Math.min(rows, kept.y + kept.height - row);
    if (last > first)
      strips.push(await cutStrip(strip, picture.width, channels, { ...kept, y: first, height: last - first }));
    row += rows;
  }
  return { strips, width: kept.width, height: kept.height, left: picture.left + kept.x, top: picture.top + kept.y };
}

/** The coverage as floats. That of drops lacks what was rejected, which is added. */
async function coverageOf(
  { strips, width, height }: StripPicture,
  channels: number,
  isOfDrops: boolean,
): Promise<Float32Array> {
  const out = new Float32Array(width * height);
  let at = 0;
  for (const strip of strips) {
    const view = new DataView(await planeOf(strip, 3 * channels).arrayBuffer());
    const rejected = isOfDrops ? new Uint8Array(await rejectionsOf(strip, channels, 1).arrayBuffer()) : null;
    for (let i = 0; i < strip.planeBytes / 4; i++) out[at++] = view.getFloat32(4 * i, false) + (rejected?.[i] ?? 0);
  }
  return out;
}

/** Means of square blocks; pixels that do not fill one are left out. */
function inBlocks(coverage: Float32Array, width: number, columns: number, rows: number, block: number): Float32Array {
  if (block === 1) return coverage;
  const out = new Float32Array(columns * rows);
  for (let y = 0; y < rows * block; y++)
    for (let x = 0; x < columns * block; x++)
      out[Math.floor(y / block) * columns + Math.floor(x / block)] += coverage[y * width + x] / block ** 2;
  return out;
}

/** Share of a side's pixels that may be covered by less. */
const MOST_THIN = 0.02;

/** The sides move in, always that one of which the least is covered, until all are covered enough; null where nothing is left. */
export function coveredRegion(
  coverage: Float32Array,
  width: number,
  height: number,
  least: number,
  best = 0.9,
): Region | null {
  const enough = least * quantile(coverage, best) - 1e-6;
  let [left, top, right, bottom] = [0, 0, width - 1, height - 1];
  const thin = (x0: number, y0: number, x1: number, y1: number): number => {
    let count = 0;
    for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) if (!(coverage[y * width + x] >= enough)) count++;
    return count / ((x1 - x0 + 1) * (y1 - y0 + 1));
  };
  while (left <= right && top <= bottom) {
    const sides = [
      thin(left, top, right, top),
      thin(left, bottom, right, bottom),
      thin(left, top, left, bottom),
      thin(right, top, right, bottom),
    ];
    const worst = sides.indexOf(Math.max(...sides));
    if (sides[worst] <= MOST_THIN) return { x: left, y: top, width: right - left + 1, height: bottom - top + 1 };
    if (worst === 0) top++;
    else if (worst === 1) bottom--;
    else if (worst === 2) left++;
    else right--;
  }
  return null;
}

/** The part of a strip inside a region of it: float planes first, then three of bytes. */
async function cutStrip(strip: StoredStrip, width: number, channels: number, part: Region): Promise<StoredStrip> {
  const bytes = new Uint8Array(await strip.planes.arrayBuffer());
  const cut = (from: number, size: 1 | 4): Uint8Array => {
    const out = new Uint8Array(part.width * part.height * size);
    for (let y = 0; y < part.height; y++) {
      const start = from + ((part.y + y) * width + part.x) * size;
      out.set(bytes.subarray(start, start + part.width * size), y * part.width * size);
    }
    return out;
  };
  const floats = 3 * channels + 1;
  const planes = [
    ...Array.from({ length: floats }, (_, k) => cut(k * strip.planeBytes, 4)),
    ...[0, 1, 2].map((k) => cut(floats * strip.planeBytes + (k * strip.planeBytes) / 4, 1)),
  ];
  return { ...strip, planes: new Blob(planes as BlobPart[]), planeBytes: 4 * part.width * part.height };
}
