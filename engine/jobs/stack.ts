import type { PictureFacts } from "@/core/compare";
import { mosaicPlain } from "@/core/kernels";
import { demosaicOf, demosaicedNoise, noiseAutocorrelation, scaleOfCalibration } from "@/core/calibrate";
import { drizzleScaleOf } from "@/core/drizzle";
import { BLOCK_PX } from "@/core/combine";
import type { FitsCard } from "@/core/formats";
import { unitOfSamples } from "@/core/formats";
import type { Stage, StackPlan, StackReport, StackSettings, SubFacts } from "@/core/stack";
import { levelMesh, makeReport, recipeLines, stackCards, withLocalLevels } from "@/core/stack";
import type { StackHeader, StackKind } from "@/core/stack";
import { UserError } from "@/core/job";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import { assemble, stripsOf } from "./assemble";
import { croppedTo } from "./crop";
import { drizzle } from "./drizzle";
import { inspectStack } from "./inspect";
import type { StripStore } from "./strips";
import { blocksOfStrip, draftOf, keptStrips, NO_STRIPS, planeOf, rejectionsOf, stackKey } from "./strips";

/** A finished stack: float FITS files, counts of what was rejected, and what is known of them. */
export interface FinishedStack {
  plan: StackPlan;
  report: StackReport;
  facts: PictureFacts;
  mean: Blob;
  a: Blob;
  b: Blob;
  coverage: Blob;
  /** How many samples were rejected at each pixel: above the others, in all, below them. */
  rejected: Blob;
  /** In how many pixels of square blocks each sub was rejected (RejectedBlocks): below one another for each sub those above, then those below. */
  rejectedBySub: Blob;
  /** Forgets the strips that it was made of; called when it is stored. */
  release: () => Promise<void>;
}

export interface StackRequest {
  subs: SubFacts[];
  /** The stored frame of each sub, by its id. */
  frames: Map<string, FrameRef>;
  settings: StackSettings;
  /** The sub on whose pixels the stack lies; its frame is among `frames`. @default the stack's own reference */
  grid?: SubFacts;
  /** Where finished strips go; a stack that was interrupted goes on from those that it finds there. @default none */
  strips?: StripStore;
}

export interface StackProgress {
  signal?: AbortSignal;
  onProgress: (fraction: number, doing: string) => void;
}

/** What the engine itself takes, and each worker for pictures that are read, the kernels' memory, and what is not yet cleared away. */
const ENGINE_BYTES = 80 * 2 ** 20;
const WORKER_BYTES = 320 * 2 ** 20;
const LEAST_BYTES = 64 * 2 ** 20;

/** Bytes for samples of subs of all workers: the memory that was given less the results, which are held until they are written unless they lie on disk. */
function samplesBudget(
  { memoryMiB }: StackSettings,
  { width, height, channels }: StackPlan,
  { isOnDisk }: StripStore,
  workers: number,
): number {
  const results = isOnDisk ? 0 : width * height * (4 * (3 * channels + 1) + 3);
  return Math.max(LEAST_BYTES, memoryMiB * 2 ** 20 - results - ENGINE_BYTES - workers * WORKER_BYTES);
}

/** The coverage of drops is looked at in blocks of so many pixels. */
const DROP_BLOCK = 8;

/** Share of the whole that is done when combining begins. */
const COMBINE_FROM = 0.1;
/** And when the stack is looked over. */
const INSPECT_FROM = 0.93;

/**
 * Makes a stack: plan, strips over the pool, assembly, inspection. The strips of the results go straight into blobs, so
 * this side holds no picture. The memory budget is shared by the workers.
 */
export async function makeStack(
  pool: WorkerPool,
  wanted: StackRequest,
  { signal, onProgress }: StackProgress,
): Promise<FinishedStack> {
  const started = Date.now();
  const { subs, frames, settings, grid } = wanted;
  if (subs.length === 0) throw new UserError("no sub is included", "Include at least one sub on the Subs screen.");
  const stages: Stage[] = [];
  let begun = started;
  const ended = (stage: Stage["stage"], peakBytes: number | null = null): void => {
    stages.push({ stage, seconds: (Date.now() - begun) / 1000, peakBytes });
    begun = Date.now();
  };
  onProgress(0, "Matching stars");
  const matched = await pool.run("plan", { subs, settings, grid }, { priority: PRIORITY.batch, signal });
  ended("match");
  const plan = settings.normalise === "local" ? await levelled(pool, wanted, matched, { signal, onProgress }) : matched;
  if (plan !== matched) ended("level");
  const { channels } = plan;
  const store = wanted.strips ?? NO_STRIPS;
  const budgetBytes = samplesBudget(settings, plan, store, pool.batchSize) / pool.batchSize;
  const refs = plan.used.map(({ id }) => frames.get(id) as FrameRef);
  const strips = stripsOf(plan.width, plan.height, pool.batchSize);
  const [keptPlan, keptFrames] = [pool.keepForJobs(plan), pool.keepForJobs(refs)];
  const key = await stackKey(plan, settings, refs, strips);
  // A store that fails only costs time: what cannot be found there is made.
  await store.forget(key).catch(() => undefined);
  const asBatch = { priority: PRIORITY.batch, signal };
  const scale = drizzleScaleOf(settings);
  const combineTo = scale === null ? INSPECT_FROM : 0.5;
  const combined = await keptStrips(
    strips,
    { store, key, from: 0 },
    (region, onStrip) =>
      pool.run(
        "stackStrip",
        { frames: keptFrames, plan: keptPlan, settings, region, budgetBytes },
        { ...asBatch, onProgress: onStrip },
      ),
    (share) => onProgress(COMBINE_FROM + (combineTo - COMBINE_FROM) * share, "Combining"),
  ).finally(() => [keptPlan, keptFrames].forEach((kept) => pool.release(kept)));
  const workers = Math.min(pool.batchSize, strips.length);
  const peakBytes = Math.max(...combined.map((strip) => strip.peakBytes)) * workers;
  ended("combine", peakBytes);
  const finished =
    scale === null
      ? { strips: combined, width: plan.width, height: plan.height, left: 0, top: 0, dither: null }
      : await drizzle(pool, wanted, plan, combined, {
          store: { store, key, from: plan.height },
          signal,
          onProgress: (share) => onProgress(combineTo + (INSPECT_FROM - combineTo) * share, "Drizzling"),
        });
  if (scale !== null) ended("drizzle");
  const {
    strips: results,
    width,
    height,
    left,
    top,
  } = await croppedTo(finished, channels, settings.leastCoverage, scale === null ? 1 : DROP_BLOCK);
  const blocks = {
    columns: Math.ceil(plan.width / BLOCK_PX),
    rows: Math.ceil(plan.height / BLOCK_PX),
    px: BLOCK_PX * (scale ?? 1),
    left: -left,
    top: -top,
  };
  const blockPlanes = (part: number) =>
    combined.map((strip) => blocksOfStrip(strip, channels, 2 * plan.used.length, part));
  const planesFrom = (first: number) => (c: number) => results.map((strip) => planeOf(strip, first + c));
  const [meanPlanes, aPlanes, bPlanes] = [0, channels, 2 * channels].map(planesFrom);
  onProgress(INSPECT_FROM + 0.01, "Measuring the stack");
  const header = await headerOfStack(pool, wanted, plan, { enlarged: scale ?? 1, left, top }, signal);
  const cards = header("stack");
  const draft = {
    mean: assemble(width, height, channels, cards, [], meanPlanes),
    a: assemble(width, height, channels, header("A"), ["half A of the stack"], aPlanes),
    b: assemble(width, height, channels, header("B"), ["half B of the stack"], bPlanes),
  };
  const [picture, a, b] = [
    await draftOf(store, "stack", draft.mean),
    await draftOf(store, "a", draft.a),
    await draftOf(store, "b", draft.b),
  ];
  const halves = plan.used.length > 1 ? { a, b } : null;
  const facts = await inspectStack(pool, { picture, halves }, signal);
  ended("inspect");
  const stackReport = makeReport(plan, subs, settings, {
    halvesSigma: facts.halvesSigma ?? Array.from({ length: channels }, () => NaN),
    fwhmPx: facts.fwhmPx,
    samples: results.reduce((sum, { samples }) => sum + samples, 0),
    rejected: results.reduce((sum, { rejected }) => sum + rejected, 0),
    correlation: correlationOf(refs[0]),
    seconds: (Date.now() - started) / 1000,
    peakBytes,
    stages,
    dither: finished.dither,
    blocks,
    rejectedOf: await rejectedCounts(plan.used.length, blockPlanes),
  });
  const history = recipeLines(plan, settings, stackReport);
  const blockLines = plan.used.map(({ name }, i) => `from row ${2 * i * blocks.rows + 1} on: ${name}`);
  onProgress(1, "Done");
  return {
    plan,
    report: stackReport,
    facts,
    mean: assemble(width, height, channels, cards, history, meanPlanes),
    a: draft.a,
    b: draft.b,
    coverage: assemble(
      width,
      height,
      1,
      header("coverage"),
      ["subs with data at each pixel"],
      planesFrom(3 * channels),
    ),
    rejected: assemble(
      ...([width, height, 3, header("rejected")] as const),
      ["samples rejected at each pixel: above the others or on a trail, in all, below the others"],
      (part) => results.map((strip) => rejectionsOf(strip, channels, part)),
      "uint8",
    ),
    rejectedBySub: assemble(
      ...([blocks.columns, 2 * plan.used.length * blocks.rows, 1] as const),
      [["IMAGETYP", "stack coverage, rejected by sub"]],
      [
        `pixels at which each sub was rejected, in blocks of ${blocks.px} px, 255 for more`,
        `of each sub ${blocks.rows} rows for those above the others, then as many for those below`,
        ...blockLines,
      ],
      () => plan.used.flatMap((_, i) => [...blockPlanes(2 * i), ...blockPlanes(2 * i + 1)]),
      "uint8",
    ),
    release: () => store.forget(null),
  };
}

/** At how many pixels each sub was rejected. */
async function rejectedCounts(
  subs: number,
  planes: (part: number) => Blob[],
): Promise<{ above: number; below: number }[]> {
  const sumOf = async (part: number): Promise<number> => {
    const bytes = new Uint8Array(await new Blob(planes(part)).arrayBuffer());
    return bytes.reduce((sum, count) => sum + count, 0);
  };
  const out = [];
  for (let i = 0; i < subs; i++) out.push({ above: await sumOf(2 * i), below: await sumOf(2 * i + 1) });
  return out;
}

/** A plan whose subs are brought to one another place by place, row of patches by row of patches over the pool. */
async function levelled(
  pool: WorkerPool,
  { frames, settings }: StackRequest,
  plan: StackPlan,
  { signal, onProgress }: StackProgress,
): Promise<StackPlan> {
  const refs = plan.used.map(({ id }) => frames.get(id) as FrameRef);
  const [keptPlan, keptFrames] = [pool.keepForJobs(plan), pool.keepForJobs(refs)];
  const count = levelMesh(plan, settings).rows;
  let done = 0;
  const rows = await Promise.all(
    Array.from({ length: count }, async (_, row) => {
      const levels = await pool.run(
        "levelRow",
        { frames: keptFrames, plan: keptPlan, settings, row },
        { priority: PRIORITY.batch, signal },
      );
      onProgress(0.03 + ((COMBINE_FROM - 0.03) * ++done) / count, "Levelling skies");
      return levels;
    }),
  ).finally(() => [keptPlan, keptFrames].forEach((kept) => pool.release(kept)));
  return withLocalLevels(plan, settings, rows);
}

/** How demosaicing correlates the noise of a frame's neighbours, per channel; null for frames that are no mosaic. */
function correlationOf({ calibration }: FrameRef): number[][] | null {
  if (!calibration || calibration.pattern === null) return null;
  const { demosaic, bin } = calibration.settings;
  if (demosaic === "none" || demosaic === "superpixel" || bin > 1) return null;
  return noiseAutocorrelation(demosaicedNoise(demosaicOf(demosaic), calibration.pattern, [1], mosaicPlain));
}

/** What the headers of the stack's pictures are made of, from the file of its reference. */
async function headerOfStack(
  pool: WorkerPool,
  { subs, frames, grid }: StackRequest,
  plan: StackPlan,
  placed: Pick<StackHeader, "enlarged" | "left" | "top">,
  signal?: AbortSignal,
): Promise<(of: StackKind) => FitsCard[]> {
  const frame = frames.get(grid?.id ?? plan.referenceId) as FrameRef;
  const source = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  const own = subs.find(({ id }) => id === plan.referenceId)?.unit;
  const unit = unitOfSamples(own ?? (await pool.run("readUnit", { frame, look: false }, { signal })));
  const { calibration } = frame;
  const step = calibration ? scaleOfCalibration(calibration.settings, calibration.pattern) : 1;
  const held = plan.fullAt === null ? unit : { ...unit, saturation: plan.fullAt };
  return (of) => stackCards(of, { plan, subs, source, unit: held, step, ...placed });
}
