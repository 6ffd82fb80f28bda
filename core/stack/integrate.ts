import type { Layer, RejectedBlocks } from "../combine";
import { cube, emptyBlocks, sampleLayer } from "../combine";
import type { JobHandle } from "../job";
import type { CombineResult, Kernels, Means } from "../kernels";
import type { CreateRaster, FrameSource, Raster, Region } from "../raster";
import {
  createRaster,
  cropRaster,
  growRegion,
  intersectRegions,
  pasteInto,
  rasterOf,
  relativeTo,
  reusedRasters,
  tilesOf,
} from "../raster";
import { inverse, mapRow, sourceRegion } from "../register";
import { farFrom, trailTest } from "../measure";
import { saturatedPixels } from "./cores";
import { applyLocalLevels } from "./localLevels";
import type { PlannedSub, StackPlan } from "./plan";
import { combineSettings } from "./rejection";
import { mergeScales, SCALES_HALO } from "./scales";
import { layerScatter } from "./scatter";
import type { StackSettings } from "./settings";

/** One region of a stack with its halves. */
export interface StackPiece {
  region: Region;
  mean: Raster;
  a: Raster;
  b: Raster;
  /** Subs that have data at each pixel. */
  coverage: Float32Array;
  /** Samples that were rejected at each pixel for lying above the others (or on a trail), and below; the channel with most of them. */
  above: Float32Array;
  below: Float32Array;
  /** Where each sub was rejected; null where another picture says that. */
  blocks: RejectedBlocks | null;
  samples: number;
  rejected: number;
  /** Most bytes held at once for samples of subs. */
  peakBytes: number;
}

/** Rows of a band at least, and at most. */
const LEAST_ROWS = 16;
const MOST_ROWS = 512;

/**
 * Tiles in which a region is combined so that all subs' samples of a tile, the part of one sub under it (as it is read, and where the kernels
 * work) and the results fit the budget. Bands of whole rows, as files hold them: of a narrow tile a file's rows would be read in full again and again.
 * Where a turned sub's part of even a low band is too large, square tiles of at least 16 px.
 */
export function tilesFor(
  region: Region,
  { used, channels }: Pick<StackPlan, "used" | "channels">,
  sources: readonly { width: number; height: number }[],
  budgetBytes: number,
): Region[] {
  const bytesOf = ({ x, y, width, height }: Region): number => {
    const grown = { x, y, width: width + 2, height: height + 2 };
    const pixels = grown.width * grown.height;
    const parts = used.map(({ toReference }, i) => {
      const part = sourceRegion(grown, toReference, sources[i]);
      return part.width * part.height;
    });
    const largest = parts.reduce((a, b) => Math.max(a, b), 0);
    return 4 * channels * (pixels * (used.length + 12) + 2 * largest);
  };
  for (let parts = Math.ceil(region.height / MOST_ROWS); ; parts++) {
    const rows = Math.ceil(region.height / parts);
    const tiles = tilesOf(region, region.width, rows);
    // The middle one stands for all: turned parts are largest where their frames cover the band.
    if (bytesOf(tiles[tiles.length >> 1]) <= budgetBytes) return tiles;
    if (rows <= LEAST_ROWS) break;
  }
  const perPixel = 4 * channels * (used.length + 12 + 2 * 3);
  return tilesOf(region, Math.max(LEAST_ROWS, Math.min(1024, Math.floor(Math.sqrt(budgetBytes / perPixel)) - 12)));
}

/**
 * Combines one region of a stack: each sub is read only where the region's tiles lie, resampled to the reference,
 * normalised, and combined pixel by pixel. Memory stays within `budgetBytes` whatever the number of subs and their turn.
 * `sources` are in the order of `plan.used`. Pixels that no sub covers are NaN.
 */
export async function stackRegion(
  sources: FrameSource[],
  plan: StackPlan,
  settings: StackSettings,
  region: Region,
  budgetBytes: number,
  job: JobHandle,
): Promise<StackPiece> {
  const { channels, used } = plan;
  const tally = emptyBlocks(region, used.length);
  const piece: StackPiece = {
    region,
    blocks: tally,
    mean: createRaster(region.width, region.height, channels),
    a: createRaster(region.width, region.height, channels),
    b: createRaster(region.width, region.height, channels),
    coverage: new Float32Array(region.width * region.height),
    above: new Float32Array(region.width * region.height),
    below: new Float32Array(region.width * region.height),
    samples: 0,
    rejected: 0,
    peakBytes: 0,
  };
  const { scales } = plan;
  // Scales are told apart by their surroundings.
  const read = scales ? intersectRegions(growRegion(region, SCALES_HALO), { x: 0, y: 0, ...sizeOf(plan) }) : region;
  const detail = scales && { coarse: emptyHalves(read, channels), fine: emptyHalves(read, channels) };
  const tiles = tilesFor(read, plan, sources, budgetBytes);
  const createRaw = reusedRasters();
  const saturated: (Uint8Array | null)[] = used.map(() => null);
  const layers = {
    count: used.length,
    channels,
    read: (i: number, tile: Region, create: CreateRaster) => {
      const { fullAt, toReference } = used[i];
      saturated[i] = null;
      const onRaw =
        fullAt === null
          ? undefined
          : (raw: Raster, part: Region) => (saturated[i] = saturatedPixels(raw, part, fullAt, toReference, tile));
      return sampleSub(sources[i], used[i], tile, settings.resampling, job.kernels, { onRaw, create, createRaw });
    },
    saturated: (i: number) => saturated[i],
    tally,
    weights: (_: Region, c: number) => used.map(({ weight }) => weight[c]),
    fineWeights: (c: number) => scales && scales.fine[c],
    scatter: (c: number) => layerScatter(plan, c),
    defective: (i: number, tile: Region) => trailMask(used[i], tile),
  };
  const how = combineSettings(plan.rejection, settings);
  piece.peakBytes = await cube(how).run(layers, tiles, job, ({ tile, channels: results }) => {
    const put = (target: Raster, planes: Float32Array[], { x, y }: Region) =>
      pasteInto(target, rasterOf(tile.width, tile.height, planes), tile.x - x, tile.y - y);
    for (const kind of HALVES) {
      const of = (means: (result: CombineResult) => Means | null) =>
        results.map((result) => means(result)?.[kind] ?? result[kind]);
      put(
        detail ? detail.coarse[kind] : piece[kind],
        of((result) => result),
        detail ? read : region,
      );
      if (detail)
        put(
          detail.fine[kind],
          of(({ fine }) => fine),
          read,
        );
    }
    countInto(piece, tile, results);
  });
  if (scales && detail)
    for (const kind of HALVES) {
      await job.breathe();
      const merged = mergeScales(detail.coarse[kind], detail.fine[kind], scales.finish, plan.sky, job.kernels);
      piece[kind] = cropRaster(merged, relativeTo(read, region));
    }
  return piece;
}

const HALVES = ["mean", "a", "b"] as const;

const emptyHalves = ({ width, height }: Region, channels: number): Record<(typeof HALVES)[number], Raster> => ({
  mean: createRaster(width, height, channels),
  a: createRaster(width, height, channels),
  b: createRaster(width, height, channels),
});

const sizeOf = ({ width, height }: StackPlan) => ({ width, height });

/** The coverage of a tile, and the samples rejected above and below the others at each pixel, of the channel with most of them. */
function countInto(piece: StackPiece, tile: Region, results: readonly CombineResult[]): void {
  const { coverage, above, below, region } = piece;
  const own = intersectRegions(tile, region);
  for (const [c, result] of results.entries())
    for (let y = own.y; y < own.y + own.height; y++) {
      let i = (y - region.y) * region.width + own.x - region.x;
      let p = (y - tile.y) * tile.width + own.x - tile.x;
      for (const end = i + own.width; i < end; i++, p++) {
        const low = result.below[p];
        const rejected = result.coverage[p] - result.kept[p];
        piece.samples += result.coverage[p];
        piece.rejected += rejected;
        if (c === 0) coverage[i] = result.coverage[p];
        if (low > below[i]) below[i] = low;
        if (rejected - low > above[i]) above[i] = rejected - low;
      }
    }
}

/** A sub as a layer of its stack. */
const layerOf = (frame: FrameSource, { toReference, ...sub }: PlannedSub): Layer => ({
  ...sub,
  frame,
  placement: toReference,
  weights: sub.weight,
});

/** The normalised samples of a sub on a tile of the reference, brought to its local levels; NaN where it has none. */
export async function sampleSub(
  source: FrameSource,
  sub: PlannedSub,
  tile: Region,
  resampling: StackSettings["resampling"],
  kernels: Kernels,
  sampling?: Parameters<typeof sampleLayer>[4],
): Promise<Raster> {
  const samples = await sampleLayer(layerOf(source, sub), tile, resampling, kernels, sampling);
  if (sub.local) applyLocalLevels(samples, tile, sub.local);
  return samples;
}

/** Scales differ by four at most. */
const STEP_PX = 4;

/** Pixels of a tile of the reference on which a sub's trails lie; null for none. */
export function trailMask(
  { trails, toReference }: Pick<PlannedSub, "trails" | "toReference">,
  tile: Region,
): Uint8Array | null {
  if (trails.length === 0) return null;
  const back = inverse(toReference);
  const { width, height } = tile;
  const mask = new Uint8Array(width * height);
  const lines = trails.map((one) => ({ isOn: trailTest(one), far: farFrom(one) }));
  const [xs, ys] = [new Float64Array(width), new Float64Array(width)];
  for (let row = 0; row < height; row++) {
    mapRow(back, tile.x, tile.y + row, width, xs, ys);
    for (const { isOn, far } of lines)
      for (let i = 0; i < width; i++) {
        // A step of a pixel here is at most STEP_PX there.
        const away = far(xs[i], ys[i]);
        if (away > STEP_PX) i += Math.floor(away / STEP_PX) - 1;
        else if (isOn(xs[i], ys[i])) mask[row * width + i] = 1;
      }
  }
  return mask;
}

/** A sub as it lies in the stack: registered to its reference and normalised to the reference's starlight and sky. */
export function registeredFrame(
  source: FrameSource,
  sub: Pick<PlannedSub, "toReference" | "scale" | "offset">,
  size: { width: number; height: number },
  kernels: Kernels,
  resampling: StackSettings["resampling"] = "bicubic",
): FrameSource {
  const layer = { ...sub, frame: source, placement: sub.toReference };
  return { ...size, channels: source.channels, read: (region) => sampleLayer(layer, region, resampling, kernels) };
}
