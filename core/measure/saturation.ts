import type { DataRange, FrameUnit } from "../formats";
import { toSample } from "../formats";
import type { SkyKernels } from "../kernels";
import type { FrameSource, Raster } from "../raster";
import { LargestValues, median, medianInPlace, nextAtLeast, tilesOf, wholeRegion } from "../raster";

/** Samples that may lie above `top`: hits, hot pixels and divisions by almost nothing, one in a hundred thousand, at least ten. */
const WILD_SHARE = 1e-5;
const WILD_LEAST = 10;
const STRIP_SAMPLES = 1 << 20;

/** The range of a frame's numbers, read strip by strip; NaN and infinite values are left out. A frame without numbers is 0 … 0. */
export async function dataRange(source: FrameSource): Promise<DataRange> {
  const rows = Math.max(1, Math.floor(STRIP_SAMPLES / source.width));
  const wild = wildCount(source.width * source.height * source.channels);
  const largest = new LargestValues(wild + 1);
  let least = Infinity;
  for (const strip of tilesOf(wholeRegion(source), source.width, rows)) {
    const { planes } = await source.read(strip);
    for (const plane of planes) {
      largest.add(plane);
      for (const v of plane) if (v < least && v > -Infinity) least = v;
    }
  }
  const rising = largest.rising();
  if (rising.length === 0) return { least: 0, top: 0, most: 0 };
  // Of a small frame all but the wild ones may be needed: then the largest stands.
  return { least, top: rising[rising.length > wild ? 0 : rising.length - 1], most: rising[rising.length - 1] };
}

const wildCount = (samples: number): number => Math.max(WILD_LEAST, Math.round(WILD_SHARE * samples));

/** A star is cut off where this share of its height is reached by many of the pixels that reach half of it. */
const TOP = 0.95;
/** A Gaussian has 0.074 of its half-height area above 95 % (derivation: ln 0.95 / ln 0.5), one cut off at 80 % of its height 0.3. */
const FLAT_SHARE = 0.25;
/** Four pixels around a corner may be equally bright by themselves. */
const LEAST_FLAT = 5;
const LONE_FLAT = 9;
const LONE_SHARE = 0.4;
const LARGEST = 4000;
/** A star this much higher than a plateau that is not cut off itself speaks against saturation there; three in ten may, of hits. */
const HIGHER = 1.05;
const MOST_AGAINST = 0.3;
/** Pixels this far below the plateaus count as saturated too: response and noise spread them. */
const PLATEAU_SPREAD = 0.97;

/**
 * The level from which the stars of a plane are cut off, found in their cores: stars have flat tops there, and hardly any rises beyond.
 * Null where no pile-up is seen. Heights count above the median, so neither unit nor offset matters. `maxima`: the
 * largest value of each chunk of the plane (SkyKernels). Source: own; derivation above.
 */
export function pileUpLevel(plane: Float32Array, width: number, height: number, maxima: Float32Array): number | null {
  const sky = median(sampled(plane));
  const largest = new LargestValues(wildCount(plane.length));
  largest.add(plane, maxima);
  const top = largest.rising()[0];
  if (!(top > sky)) return null;
  const peaks = brightPeaks(plane, width, height, sky, sky + 0.25 * (top - sky), maxima);
  const isFlat = ({ share, count }: Peak): boolean => count >= LEAST_FLAT && share > FLAT_SHARE;
  const plateaus = peaks.filter(isFlat).sort((a, b) => b.level - a.level);
  const others = peaks.filter((peak) => !isFlat(peak));
  let found: number | null = null;
  for (const [k, { level, count, share }] of plateaus.entries()) {
    const against = others.filter((peak) => peak.level - sky > HIGHER * (level - sky)).length;
    if (against > MOST_AGAINST * (k + 1)) break;
    // A single star must be cut off broadly: the core of a galaxy is only a little flat.
    if (k > 0 || (count >= LONE_FLAT && share > LONE_SHARE)) found = sky + PLATEAU_SPREAD * (level - sky);
  }
  return found;
}

interface Peak {
  /** Median of the samples within 5 % of its top. */
  level: number;
  /** How many these are, and their share of those above half height. */
  count: number;
  share: number;
}

/** Connected bright places above `least`, star-sized ones only. */
function brightPeaks(
  plane: Float32Array,
  width: number,
  height: number,
  sky: number,
  least: number,
  maxima: Float32Array,
): Peak[] {
  const next = (from: number) => nextAtLeast(plane, from, least, maxima);
  const seen = new Uint8Array(plane.length);
  const peaks: Peak[] = [];
  for (let start = next(0); start < plane.length; start = next(start + 1)) {
    if (seen[start] === 1) continue;
    const inside = flood(plane, width, height, start, least, seen);
    if (inside.length > LARGEST) continue;
    const highest = inside.reduce((most, i) => (plane[i] > plane[most] ? i : most), inside[0]);
    const tall = plane[highest] - sky;
    const half = inside.filter((i) => plane[i] - sky >= 0.5 * tall);
    // Hits have no half-height area to speak of.
    if (half.length < 5) continue;
    const core = half.filter((i) => plane[i] - sky >= TOP * tall);
    peaks.push({
      level: medianInPlace(Float32Array.from(core, (i) => plane[i])),
      count: core.length,
      share: core.length / half.length,
    });
  }
  return peaks;
}

/** Indices of the pixels connected to `start` (four neighbours) that are at least `least`; marks them; stops growing past LARGEST. */
function flood(
  plane: Float32Array,
  width: number,
  height: number,
  start: number,
  least: number,
  seen: Uint8Array,
): number[] {
  const inside = [start];
  seen[start] = 1;
  for (let k = 0; k < inside.length; k++) {
    const i = inside[k];
    const x = i % width;
    const visit = (j: number): void => {
      if (seen[j] === 0 && plane[j] >= least) {
        seen[j] = 1;
        inside.push(j);
      }
    };
    if (x > 0) visit(i - 1);
    if (x + 1 < width) visit(i + 1);
    if (i >= width) visit(i - width);
    if (i + width < width * height) visit(i + width);
  }
  return inside;
}

/** Every k-th sample of a large plane: its median is known well enough. */
function sampled(plane: Float32Array): Float32Array {
  const stride = Math.max(1, Math.floor(plane.length / 65536));
  return stride === 1
    ? plane
    : Float32Array.from({ length: Math.floor(plane.length / stride) }, (_, i) => plane[i * stride]);
}

/** Saturation as it was found in a frame: the level of each channel in its samples, the unit with it, and which pixels reach it. */
export interface Saturation {
  unit: FrameUnit | null;
  /** 1 where any channel is saturated; null where no pixel is. */
  mask: Uint8Array | null;
  /** Share of all pixels. */
  share: number;
}

/**
 * The one owner of "saturated". What a person typed counts; else the lower of what the header says and of the pile-up in star cores;
 * else the share of full scale that the type gives. The pile-up is not looked for in frames without stars (`stars` false).
 * Without a unit nothing but the pile-up counts.
 */
export function measureSaturation(
  { planes, width, height }: Raster,
  unit: FrameUnit | null,
  kernels: SkyKernels,
  stars = true,
): Saturation {
  const maxima = planes.map((plane) => kernels.chunkMaxima(plane));
  const claimed = !unit || unit.saturation === null ? Infinity : toSample(unit, unit.saturation);
  const levels = planes.map((plane, c) => {
    const found = stars && unit?.from.saturation !== "typed in" ? pileUpLevel(plane, width, height, maxima[c]) : null;
    if (found === null) return claimed;
    return unit?.from.saturation === "header" ? Math.min(found, claimed) : found;
  });
  let mask: Uint8Array | null = null;
  let count = 0;
  for (const [c, plane] of planes.entries()) {
    const level = levels[c];
    const next = (from: number) => nextAtLeast(plane, from, level, maxima[c]);
    for (let i = next(0); i < plane.length; i = next(i + 1)) {
      mask ??= new Uint8Array(width * height);
      count += 1 - mask[i];
      mask[i] = 1;
    }
  }
  const share = count / Math.max(1, width * height);
  const least = Math.min(...levels);
  if (!unit || least === claimed) return { unit, mask, share };
  const from = { ...unit.from, saturation: "pile-up in star cores" };
  return { unit: { ...unit, saturation: least * unit.storedPerUnit, from }, mask, share };
}
