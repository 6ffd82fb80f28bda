import { cfaCell } from "../calibrate";
import type { CfaPattern } from "../formats";
import type { JobHandle } from "../job";
import type { DropSums, Kernels } from "../kernels";
import { trailTest } from "../measure";
import type { FrameSource, Raster, Region } from "../raster";
import { createRaster, isEmptyRegion } from "../raster";
import {
  compose,
  describeWarp,
  enlargedBy,
  inverse,
  placesOf,
  resample,
  resamplingNoiseGain,
  sourceRegion,
} from "../register";
import type { PlannedSub, StackPiece, StackPlan, StackSettings } from "../stack";
import { layerScatter } from "../stack";
import { levelsOnSub } from "./levels";
import { tellOutliers } from "./outliers";

/** A sub as its drops are taken: its frame, calibrated, and its pattern where it is a colour mosaic. */
export interface DrizzleSource {
  frame: FrameSource;
  pattern: CfaPattern | null;
}

/** How many times the pixels of the reference a drizzled stack has along an axis; null where none was asked for. */
export const drizzleScaleOf = ({ drizzle }: Pick<StackSettings, "drizzle">): number | null =>
  drizzle === "no" ? null : Number(drizzle);

/** Size of the drizzled stack of a plan. */
export const drizzledSize = ({ width, height }: { width: number; height: number }, scale: number) => ({
  width: Math.round(width * scale),
  height: Math.round(height * scale),
});

/** Variance of a mosaic's pixels over that of demosaiced ones, at most about so much. */
const RAW = 1.8;
/** Area below which a pixel has no data: what rounding leaves. */
const LEAST_AREA = 1e-4;

/**
 * One region of a drizzled stack, in its own pixels, with its halves: the pixels of each sub, brought to the reference's light and sky, fall as square drops of
 * `settings.drop` of their side onto the finer grid, each with the weight of its sub. Of a mosaic each pixel brings its own colour alone. A pixel counts
 * unless it lies on a trail, or further from `first` (the ordinary stack, seen from the sub's own pixels) than its expected scatter allows. Coverage is in subs' worth
 * of drops. Subs are read one after the other: memory does not grow with their number.
 * Sources: Fruchter & Hook 2002, PASP 114, 144 (drops; holding each frame against what a clean stack predicts for it).
 */
export async function drizzleRegion(
  sources: readonly DrizzleSource[],
  first: FrameSource,
  plan: StackPlan,
  settings: StackSettings,
  region: Region,
  job: JobHandle,
): Promise<StackPiece> {
  const scale = drizzleScaleOf(settings) ?? 1;
  const { channels, used } = plan;
  const newSums = (): DropSums => ({
    columns: region.width,
    rows: region.height,
    light: new Float32Array(region.width * region.height),
    area: new Float32Array(region.width * region.height),
  });
  const sums = Array.from({ length: channels }, () => ({ A: newSums(), B: newSums() }));
  const rejections = [newSums(), newSums()];
  const tally = { samples: 0, rejected: 0, peakBytes: 0 };
  for (const [i, sub] of used.entries()) {
    await job.breathe();
    job.progress(i / used.length);
    const { frame, pattern } = sources[i];
    const toOut = compose(enlargedBy(scale), sub.toReference);
    const part = sourceRegion(region, toOut, frame);
    if (isEmptyRegion(part)) continue;
    const planes = await droppedPlanes(frame, pattern, first, plan, settings, i, part, job.kernels);
    const places = placesOf(toOut, region.x, region.y, part);
    const { scale: ownScale } = describeWarp(sub.toReference, frame.width / 2, frame.height / 2);
    const side = settings.drop * scale * ownScale;
    planes.values.forEach((plane, c) => job.kernels.drizzle(plane, places, side, sub.weight[c], sums[c][sub.half]));
    for (const [k, plane] of planes.outliers.entries())
      if (plane) job.kernels.drizzle(plane, places, scale * ownScale, 1, rejections[k]);
    tally.samples += planes.samples;
    tally.rejected += planes.rejected;
    const bytes = 4 * part.width * part.height * (3 * channels + 2) + 4 * region.width * region.height * 4 * channels;
    tally.peakBytes = Math.max(tally.peakBytes, bytes);
  }
  // How many drops of one sub fall on a pixel: of a mosaic's greens half as many.
  const isMosaic = sources.some(({ pattern }) => pattern !== null);
  const [counted, density] = channels > 1 ? [1, isMosaic ? 0.5 : 1] : [0, 1];
  const typical = used.reduce((sum, { weight }) => sum + weight[counted], 0) / used.length;
  const { A, B } = sums[counted];
  const perSub = typical * settings.drop ** 2 * density;
  const piece: StackPiece = {
    region,
    mean: createRaster(region.width, region.height, channels),
    a: createRaster(region.width, region.height, channels),
    b: createRaster(region.width, region.height, channels),
    coverage: A.area.map((area, p) => (area + B.area[p]) / perSub),
    above: rejections[0].light,
    below: rejections[1].light,
    blocks: null,
    ...tally,
  };
  sums.forEach((of, c) => {
    const least = LEAST_AREA * used.reduce((sum, { weight }) => sum + weight[c], 0);
    for (let p = 0; p < A.area.length; p++) {
      const [light, area] = [of.A.light[p] + of.B.light[p], of.A.area[p] + of.B.area[p]];
      piece.mean.planes[c][p] = area > least ? light / area : NaN;
      piece.a.planes[c][p] = of.A.area[p] > least ? of.A.light[p] / of.A.area[p] : NaN;
      piece.b.planes[c][p] = of.B.area[p] > least ? of.B.light[p] / of.B.area[p] : NaN;
    }
  });
  return piece;
}

interface DroppedPlanes {
  /** Per channel, at the reference's light and sky; NaN for what brings nothing. */
  values: Float32Array[];
  /** 1 where a pixel was rejected above what was expected (or on a trail), and below; NaN elsewhere; null for none. */
  outliers: [above: Float32Array | null, below: Float32Array | null];
  samples: number;
  rejected: number;
}

/** The part of a sub that falls: per channel, without what is rejected. */
async function droppedPlanes(
  frame: FrameSource,
  pattern: CfaPattern | null,
  first: FrameSource,
  plan: StackPlan,
  settings: StackSettings,
  index: number,
  part: Region,
  kernels: Kernels,
): Promise<DroppedPlanes> {
  const sub = plan.used[index];
  const raw = await frame.read(part);
  const { width, height } = part;
  const predicted = await predictedFor(first, sub, part, kernels);
  const cell = pattern && cfaCell(pattern, part.x, part.y);
  const lines = sub.trails.map(trailTest);
  // Pixels that were not resampled scatter more than those of which the stack was made; raw ones more than demosaiced ones.
  const gain = resamplingNoiseGain(sub.toReference, frame, settings.resampling);
  const rawScatter = (c: number) => {
    const scatter = layerScatter(plan, c);
    const noise = Float64Array.from(scatter.noise, (variance) => (variance * (pattern ? RAW : 1)) / gain ** 2);
    return { ...scatter, noise };
  };
  const found: DroppedPlanes = { values: [], outliers: [null, null], samples: 0, rejected: 0 };
  for (let c = 0; c < plan.channels; c++) {
    const levels = levelsOnSub(sub, c, part);
    const source = raw.planes[cell ? 0 : c];
    const values = new Float32Array(width * height).fill(NaN);
    for (let y = 0, p = 0; y < height; y++) {
      const { gains, offsets } = levels(y);
      for (let x = 0; x < width; x++, p++)
        if (!cell || cell[(y & 1) * 2 + (x & 1)] === c) values[p] = source[p] * gains[x] + offsets[x];
    }
    const signs =
      plan.rejection.id === "none"
        ? null
        : tellOutliers(values, predicted.planes[c], part, rawScatter(c), index, plan.used.length, settings);
    for (let y = 0, p = 0; y < height; y++)
      for (let x = 0; x < width; x++, p++) {
        if (values[p] !== values[p]) continue;
        // What is saturated gives way where the stack knows of more light than it holds.
        if (sub.fullAt !== null && source[p] >= sub.fullAt && predicted.planes[c][p] > values[p]) {
          values[p] = NaN;
          continue;
        }
        found.samples++;
        const isOnTrail = lines.some((isOn) => isOn(part.x + x, part.y + y));
        const sign = isOnTrail ? 1 : (signs?.[p] ?? 0);
        if (sign === 0) continue;
        values[p] = NaN;
        found.rejected++;
        const k = sign > 0 ? 0 : 1;
        found.outliers[k] ??= new Float32Array(width * height).fill(NaN);
        found.outliers[k][p] = 1;
      }
    found.values.push(values);
  }
  return found;
}

/** What a stack predicts for the pixels of a part of a sub. */
async function predictedFor(first: FrameSource, sub: PlannedSub, part: Region, kernels: Kernels): Promise<Raster> {
  const toSub = inverse(sub.toReference);
  const from = sourceRegion(part, toSub, first);
  const piece = isEmptyRegion(from) ? createRaster(0, 0, first.channels) : await first.read(from);
  return resample(piece, from, toSub, part, { kernel: "bicubic", kernels });
}
