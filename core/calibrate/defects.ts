import type { CfaPattern } from "../formats";
import { medianInPlace, robustSpread } from "../raster";
import { pitchOf } from "./cfa";

/** Pixels that do not measure light: their indices (y · width + x) in rising order. */
export interface Defects {
  hot: Uint32Array;
  cold: Uint32Array;
}

/** One plane of a frame by the place in the CFA cell: every pixel of a mono frame, every second one along both axes of a mosaic. */
function phasesOf(plane: Float32Array, width: number, height: number, pitch: 1 | 2) {
  const phases: { x: number; y: number; width: number; height: number; plane: Float32Array }[] = [];
  for (let y = 0; y < pitch; y++)
    for (let x = 0; x < pitch; x++) {
      const w = Math.ceil((width - x) / pitch);
      const h = Math.ceil((height - y) / pitch);
      const out = new Float32Array(w * h);
      for (let j = 0, i = 0; j < h; j++)
        for (let k = 0; k < w; k++, i++) out[i] = plane[(j * pitch + y) * width + k * pitch + x];
      phases.push({ x, y, width: w, height: h, plane: out });
    }
  return phases;
}

const CELL = 32;

/** σ of each cell of a plane from the differences of neighbours along rows (√2 of one pixel's), robust; at least that of the whole plane. */
function cellNoise(plane: Float32Array, width: number, height: number): (x: number, y: number) => number {
  const columns = Math.ceil(width / CELL);
  const sigmaOf = (x0: number, y0: number, x1: number, y1: number, step: number): number => {
    const differences: number[] = [];
    for (let y = y0; y < y1; y += step)
      for (let x = x0; x + 1 < x1; x += step) differences.push(plane[y * width + x + 1] - plane[y * width + x]);
    return robustSpread(differences).sigma / Math.SQRT2;
  };
  const all = sigmaOf(0, 0, width, height, Math.max(1, Math.floor(Math.sqrt((width * height) / 65536))));
  const cells = Array.from({ length: columns * Math.ceil(height / CELL) }, (_, k) => {
    const x = (k % columns) * CELL;
    const y = Math.floor(k / columns) * CELL;
    const own = sigmaOf(x, y, Math.min(width, x + CELL), Math.min(height, y + CELL), 1);
    return own > all ? own : all;
  });
  return (x, y) => cells[Math.floor(y / CELL) * columns + Math.floor(x / CELL)];
}

/**
 * Hot and cold pixels of a master dark: those more than `kSigma` σ above or below the median of their neighbours of the same
 * colour (eight, fewer at the border), so that amplifier glow does not count. σ is robust and local (cells of 32 px of a
 * colour), since glow brings noise of its own: with a noisy master fewer pixels are found. A constant dark has none.
 */
export function defectsOfDark(
  plane: Float32Array,
  width: number,
  height: number,
  pattern: CfaPattern | null,
  kSigma: number,
): Defects {
  const pitch = pitchOf(pattern);
  const hot: number[] = [];
  const cold: number[] = [];
  const around = new Float32Array(8);
  for (const phase of phasesOf(plane, width, height, pitch)) {
    const { width: w, height: h, plane: values } = phase;
    const sigmaAt = cellNoise(values, w, h);
    for (let y = 0, i = 0; y < h; y++)
      for (let x = 0; x < w; x++, i++) {
        const v = values[i];
        const limit = kSigma * sigmaAt(x, y);
        if (!(limit > 0)) continue;
        // Most pixels lie close to the two beside them and to those above and below: the median is found only for the others.
        // Both axes, so that neither a hot row nor a hot column passes for its own surroundings.
        const beside = 0.5 * (values[x > 0 ? i - 1 : i + 1] + values[x + 1 < w ? i + 1 : i - 1]);
        const over = 0.5 * (values[y > 0 ? i - w : i + w] + values[y + 1 < h ? i + w : i - w]);
        if (Math.abs(v - beside) <= 0.5 * limit && Math.abs(v - over) <= 0.5 * limit) continue;
        let n = 0;
        for (let dy = -1; dy <= 1; dy++)
          for (let dx = -1; dx <= 1; dx++)
            if ((dx !== 0 || dy !== 0) && x + dx >= 0 && y + dy >= 0 && x + dx < w && y + dy < h)
              around[n++] = values[i + dy * w + dx];
        const rise = v - medianInPlace(around, n);
        if (!(Math.abs(rise) > limit)) continue;
        (rise > 0 ? hot : cold).push((y * pitch + phase.y) * width + x * pitch + phase.x);
      }
  }
  return { hot: Uint32Array.from(hot).sort(), cold: Uint32Array.from(cold).sort() };
}

/** Light this many σ above the sky is a star's, whose shape a repair follows. */
const STAR_SIGMA = 12;
/** Most that a star's core may rise above the neighbours that show it. */
const MOST_GAIN = 3;

/**
 * Gives each marked pixel (and each that is NaN) the median of its neighbours of the same colour that are neither; pixels without
 * any such neighbour stay as they are. On a star, where that would draw a hole into its core, the value follows from the pixels between:
 * own neighbours times how much brighter it is right around the pixel than around them (all colours tell the shape). Changes `plane`.
 * `hasGaps`: whether there may be NaN; `stars`: noise and level of the sky, by which stars are
 * measured; null takes medians everywhere. Source: own; the ratio of colours is taken as constant
 * over a star's core.
 */
export function repairInPlace(
  plane: Float32Array,
  marks: Uint8Array,
  width: number,
  height: number,
  pitch: 1 | 2,
  { hasGaps, stars }: { hasGaps: boolean; stars: { sigma: number; level: number } | null },
): void {
  const values = new Float32Array(8);
  const repaired: [number, number][] = [];
  const sound = (x: number, y: number): boolean => {
    if (x < 0 || y < 0 || x >= width || y >= height) return false;
    const j = y * width + x;
    return marks[j] === 0 && plane[j] === plane[j];
  };
  const sky = stars?.level ?? 0;
  const least = stars && stars.sigma > 0 ? STAR_SIGMA * stars.sigma : Infinity;
  /** Mean height above the sky of the sound pixels beside (x, y), but for the one that is repaired; NaN for fewer than two. */
  const beside = (x: number, y: number, fx: number, fy: number): number => {
    let sum = 0;
    let n = 0;
    for (const [dx, dy] of CROSS)
      if ((x + dx !== fx || y + dy !== fy) && sound(x + dx, y + dy)) {
        sum += plane[(y + dy) * width + x + dx] - sky;
        n++;
      }
    return n >= 2 ? sum / n : NaN;
  };
  for (const i of placesOf(marks, hasGaps ? plane : null)) {
    const x = i % width;
    const y = Math.floor(i / width);
    let n = 0;
    let own = 0;
    let around = 0;
    let told = 0;
    for (let dy = -pitch; dy <= pitch; dy += pitch)
      for (let dx = -pitch; dx <= pitch; dx += pitch) {
        if ((dx === 0 && dy === 0) || !sound(x + dx, y + dy)) continue;
        const value = plane[(y + dy) * width + x + dx];
        values[n++] = value;
        const near = dx === 0 || dy === 0 ? beside(x + dx, y + dy, x, y) : NaN;
        if (near !== near) continue;
        own += value - sky;
        around += near;
        told++;
      }
    if (n === 0) continue;
    const middle = medianInPlace(values, n);
    const close = least < Infinity && told >= 2 ? beside(x, y, x, y) : NaN;
    const follows = close > least && own > 0 && around > 0 && close > around / told;
    const gain = follows ? Math.min(MOST_GAIN, Math.sqrt(close / (around / told)) ** (pitch === 1 ? 1 : 2)) : 1;
    repaired.push([i, follows ? sky + (own / told) * gain : middle]);
  }
  for (const [i, value] of repaired) plane[i] = value;
}

/** Indices of what is marked, or has no value in `plane` (null for none), rising. */
function placesOf(marks: Uint8Array, plane: Float32Array | null): number[] {
  const found: number[] = [];
  const isPlace = (i: number): boolean => marks[i] !== 0 || (plane !== null && plane[i] !== plane[i]);
  if (plane) {
    for (let i = 0; i < marks.length; i++) if (isPlace(i)) found.push(i);
    return found;
  }
  // Marks are few: eight of them are looked at together.
  const words = new Float64Array(marks.buffer, marks.byteOffset, marks.length >> 3);
  for (let w = 0; w < words.length; w++)
    if (words[w] !== 0) for (let i = 8 * w; i < 8 * w + 8; i++) if (isPlace(i)) found.push(i);
  for (let i = 8 * words.length; i < marks.length; i++) if (isPlace(i)) found.push(i);
  return found;
}

const CROSS = [
  [-1, 0],
  [1, 0],
  [0, -1],
  [0, 1],
] as const;
