import type { PictureFacts, TileFacts } from "@/core/compare";
import { factsOfTiles, inspectTiles } from "@/core/compare";
import { ditherFacts, ditherWarning, drizzleRegion, drizzleScaleOf } from "@/core/drizzle";
import { fitsSamples } from "@/core/formats";
import type { FrameSource, Region } from "@/core/raster";
import { frameWithoutBlank } from "@/core/raster";
import type { StackPiece, StackPlan, StackReport, StackSettings, SubFacts } from "@/core/stack";
import type { ResamplingKernel } from "@/core/register";
import { copyRegion, levelsInRow, planStack, stackRegion } from "@/core/stack";
import type { Kept } from "../facts";
import type { FrameRef } from "../frames";
import type { Task, TaskContext } from "./task";

export interface PlanPayload {
  subs: SubFacts[];
  settings: StackSettings;
  /** The sub on whose pixels the stack lies. @default its own reference */
  grid?: SubFacts;
}

export const plan: Task<PlanPayload, StackPlan> = {
  owned: ({ subs, settings, grid }) => Promise.resolve(planStack(subs, settings, grid ?? null)),
};

export interface LevelPayload {
  /** In the order of `plan.used`. */
  frames: Kept<FrameRef[]>;
  plan: Kept<StackPlan>;
  settings: StackSettings;
  /** Row of the mesh (levelMesh). */
  row: number;
}

/** How far each sub lies above the others in the patches of a row, by sub, channel and column. */
export const levelRow: Task<LevelPayload, number[][][]> = {
  owned: async ({ frames, plan: kept, settings, row }, context) => {
    const own = context.facts.valueOf(kept);
    return levelsInRow(
      await openedOf(context.facts.valueOf(frames), own, context),
      own,
      settings,
      row,
      context.job.kernels,
    );
  },
};

export interface StripPayload {
  /** In the order of `plan.used`. */
  frames: Kept<FrameRef[]>;
  plan: Kept<StackPlan>;
  settings: StackSettings;
  region: Region;
  budgetBytes: number;
}

/** One strip of a stack as rows of a float FITS file, by plane. */
export interface StripResult {
  mean: Uint8Array[];
  a: Uint8Array[];
  b: Uint8Array[];
  coverage: Uint8Array;
  /** Counts of what was rejected, a byte each: above, in all, below. */
  rejections: Uint8Array[];
  /** Where each sub was rejected, in blocks (RejectedBlocks); none where another picture says that. */
  blocks: Uint8Array;
  samples: number;
  rejected: number;
  peakBytes: number;
}

export const stackStrip: Task<StripPayload, StripResult> = {
  owned: async (payload, context) => {
    const { frames, settings, region, budgetBytes } = payload;
    const own = context.facts.valueOf(payload.plan);
    const sources = await openedOf(context.facts.valueOf(frames), own, context);
    return stripOf(await stackRegion(sources, own, settings, region, budgetBytes, context.job));
  },
};

/** The frames of a plan's subs, in its order, without the pixels that stand for no data. */
async function openedOf(frames: FrameRef[], { used }: StackPlan, context: TaskContext): Promise<FrameSource[]> {
  const sources = [];
  for (const [i, frame] of frames.entries())
    sources.push(frameWithoutBlank(await context.frames.open(frame), used[i].blank ?? null));
  return sources;
}

function stripOf(piece: StackPiece): StripResult {
  const bytes = (planes: Float32Array[]) => planes.map((plane) => fitsSamples(plane, "float32"));
  return {
    mean: bytes(piece.mean.planes),
    a: bytes(piece.a.planes),
    b: bytes(piece.b.planes),
    coverage: fitsSamples(piece.coverage, "float32"),
    rejections: rejectionCounts(piece),
    blocks: Uint8Array.from(piece.blocks?.counts ?? []),
    samples: piece.samples,
    rejected: piece.rejected,
    peakBytes: piece.peakBytes,
  };
}

/** Counts of what was rejected, a byte each, 255 for more: above, in all, below. */
function rejectionCounts({ above, below }: StackPiece): Uint8Array[] {
  const counts = [above, above, below].map((kind) => new Uint8ClampedArray(kind));
  for (let p = 0; p < above.length; p++) counts[1][p] = above[p] + below[p];
  return counts.map(({ buffer }) => new Uint8Array(buffer));
}

export interface DrizzlePayload {
  /** In the order of `plan.used`; mosaics as they came from the sensor. */
  frames: Kept<FrameRef[]>;
  /** The ordinary stack of the plan. */
  first: FrameRef;
  plan: Kept<StackPlan>;
  settings: StackSettings;
  /** In pixels of the drizzled stack. */
  region: Region;
}

export const drizzleStrip: Task<DrizzlePayload, StripResult> = {
  owned: async (payload, context) => {
    const sources = [];
    const { settings, region } = payload;
    const own = context.facts.valueOf(payload.plan);
    const frames = context.facts.valueOf(payload.frames);
    for (const [i, frame] of (await openedOf(frames, own, context)).entries()) {
      const pattern = frame.channels === 1 ? (frames[i].calibration?.pattern ?? null) : null;
      sources.push({ frame, pattern });
    }
    const first = await context.frames.open(payload.first);
    return stripOf(await drizzleRegion(sources, first, own, settings, region, context.job));
  },
};

/** How evenly the drops of a plan fall, and what is to be said of it. */
export const dither: Task<
  { plan: Kept<StackPlan>; settings: StackSettings; lattice: 1 | 2 },
  NonNullable<StackReport["dither"]>
> = {
  owned: ({ plan: kept, settings, lattice }, context) => {
    const own = context.facts.valueOf(kept);
    const facts = ditherFacts(own, drizzleScaleOf(settings) ?? 1, settings.drop, context.job.kernels, lattice);
    return Promise.resolve({ ...facts, warning: ditherWarning(facts, own.used.length, lattice) });
  },
};

export interface CopyPayload {
  frame: FrameRef;
  factor: number;
  resampling: ResamplingKernel;
  /** In pixels of the copy. */
  region: Region;
}

/** Rows of a picture at another scale as float FITS samples, by plane. */
export const copyStrip: Task<CopyPayload, Uint8Array[]> = {
  owned: async ({ frame, factor, resampling, region }, context) => {
    const source = await context.frames.open(frame);
    const copy = await copyRegion(source, factor, resampling, region, context.job.kernels);
    return copy.planes.map((plane) => fitsSamples(plane, "float32"));
  },
};

export interface InspectPayload {
  picture: FrameRef;
  halves: { a: FrameRef; b: FrameRef } | null;
}

/** Tiles of a picture, for a worker that shares it with others. */
export const inspectShare: Task<InspectPayload & { tiles: Region[] }, TileFacts[]> = {
  owned: async (payload, context) => {
    const { picture, halves, tiles } = payload;
    const { frames, job } = context;
    const opened = halves && { a: await frames.open(halves.a), b: await frames.open(halves.b) };
    return inspectTiles(await frames.open(picture), opened, await frames.unit(picture), tiles, job);
  },
};

/** What the tiles tell together. */
export const inspectWhole: Task<{ picture: FrameRef; tiles: TileFacts[] }, PictureFacts> = {
  owned: async (payload, context) =>
    factsOfTiles(await context.frames.open(payload.picture), await context.frames.unit(payload.picture), payload.tiles),
};
