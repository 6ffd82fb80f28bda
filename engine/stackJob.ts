import { CREATOR } from "@/core/version";
import type { PictureFacts } from "@/core/compare";
import { demosaicOf, demosaicedNoise, noiseAutocorrelation, scaleOfCalibration } from "@/core/calibrate";
import type { FitsCard, FrameUnit, SubMetadata } from "@/core/formats";
import { asRead, binnedBy, fitsHeader, fitsPadding, keptHeader, metadataCards, unitOfSamples } from "@/core/formats";
import { warpWords } from "@/core/register";
import type { Region } from "@/core/raster";
import { tilesOf } from "@/core/raster";
import type { StackPlan, StackReport, StackSettings, SubFacts } from "@/core/stack";
import { makeReport } from "@/core/stack";
import { UserError } from "@/core/job";
import type { FrameRef } from "./frames";
import type { WorkerPool } from "./pool";
import { PRIORITY } from "./pool";
import type { StripResult } from "./tasks/stack";

/** A finished stack: four float FITS files and what is known of them. */
export interface FinishedStack {
  plan: StackPlan;
  report: StackReport;
  facts: PictureFacts;
  mean: Blob;
  a: Blob;
  b: Blob;
  coverage: Blob;
}

export interface StackRequest {
  subs: SubFacts[];
  /** The stored frame of each sub, by its id. */
  frames: Map<string, FrameRef>;
  settings: StackSettings;
}

export interface StackProgress {
  signal?: AbortSignal;
  onProgress: (fraction: number, doing: string) => void;
}

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
  const { subs, frames, settings } = wanted;
  if (subs.length === 0) throw new UserError("no sub is included", "Include at least one sub on the Subs screen.");
  onProgress(0, "Matching stars");
  const plan = await pool.run("plan", { subs, settings }, { priority: PRIORITY.batch, signal });
  const { width, height, channels } = plan;
  const strips = stripsOf(width, height, pool.batchSize);
  const budgetBytes = (settings.memoryMiB * 2 ** 20) / pool.batchSize;
  const refs = plan.used.map(({ id }) => frames.get(id) as FrameRef);
  const done = strips.map(() => 0);
  const report = (): void => onProgress(0.03 + 0.9 * (done.reduce((a, b) => a + b, 0) / strips.length), "Combining");
  const results = await Promise.all(
    strips.map(async (region, k): Promise<Strip> => {
      const payload = { frames: refs, plan, settings, region, budgetBytes };
      const onStrip = (fraction: number) => {
        done[k] = fraction;
        report();
      };
      const result = await pool.run("stackStrip", payload, { priority: PRIORITY.batch, signal, onProgress: onStrip });
      done[k] = 1;
      report();
      return blobsOf(result);
    }),
  );
  onProgress(0.94, "Measuring the stack");
  const header = await headerOfStack(pool, wanted, plan, signal);
  const cards = header("stack");
  const draft = {
    mean: assemble(width, height, channels, cards, [], (c) => results.map(({ mean }) => mean[c])),
    a: assemble(width, height, channels, header("A"), ["half A of the stack"], (c) => results.map(({ a }) => a[c])),
    b: assemble(width, height, channels, header("B"), ["half B of the stack"], (c) => results.map(({ b }) => b[c])),
  };
  const refOf = (name: string, blob: Blob): FrameRef => ({
    id: `${name}-${started}-${Math.random()}`,
    name,
    kind: "blob",
    blob,
  });
  const halves = plan.used.length > 1 ? { a: refOf("a", draft.a), b: refOf("b", draft.b) } : null;
  const picture = refOf("stack", draft.mean);
  const facts = await pool.run("inspect", { picture, halves }, { priority: PRIORITY.batch, signal });
  const stackReport = makeReport(plan, subs, settings, {
    halvesSigma: facts.halvesSigma ?? Array.from({ length: channels }, () => NaN),
    fwhmPx: facts.fwhmPx,
    samples: results.reduce((sum, { samples }) => sum + samples, 0),
    rejected: results.reduce((sum, { rejected }) => sum + rejected, 0),
    correlation: correlationOf(refs[0]),
    seconds: (Date.now() - started) / 1000,
    peakBytes: Math.max(...results.map(({ peakBytes }) => peakBytes)) * Math.min(pool.batchSize, strips.length),
  });
  const history = recipeLines(plan, settings, stackReport);
  onProgress(1, "Done");
  return {
    plan,
    report: stackReport,
    facts,
    mean: assemble(width, height, channels, cards, history, (c) => results.map(({ mean }) => mean[c])),
    a: draft.a,
    b: draft.b,
    coverage: assemble(width, height, 1, header("coverage"), ["subs with data at each pixel"], () =>
      results.map(({ coverage }) => coverage),
    ),
  };
}

/** How demosaicing correlates the noise of a frame's neighbours, per channel; null for frames that are no mosaic. */
function correlationOf({ calibration }: FrameRef): number[][] | null {
  if (!calibration || calibration.pattern === null) return null;
  const { demosaic, bin } = calibration.settings;
  if (demosaic === "none" || demosaic === "superpixel" || bin > 1) return null;
  return noiseAutocorrelation(demosaicedNoise(demosaicOf(demosaic), calibration.pattern, [1]));
}

/** A strip as blobs, which the browser keeps outside the page's memory. */
type Strip = Omit<StripResult, "mean" | "a" | "b" | "coverage"> &
  Record<"mean" | "a" | "b", Blob[]> & { coverage: Blob };

function blobsOf(result: StripResult): Strip {
  const blob = (bytes: Uint8Array) => new Blob([bytes as BlobPart]);
  const { mean, a, b, coverage } = result;
  return { ...result, mean: mean.map(blob), a: a.map(blob), b: b.map(blob), coverage: blob(coverage) };
}

/** Strips of whole rows, about eight for each worker, between 16 and 256 rows high. */
export function stripsOf(width: number, height: number, workers: number): Region[] {
  const rows = Math.min(256, Math.max(16, Math.ceil(height / (8 * workers))));
  return tilesOf({ x: 0, y: 0, width, height }, width, rows);
}

/** A float FITS file from the strips of its planes. */
export function assemble(
  width: number,
  height: number,
  channels: number,
  cards: FitsCard[],
  history: string[],
  strips: (channel: number) => Blob[],
): Blob {
  const layout = { width, height, channels, sample: "float32" as const, cards, history };
  const planes = Array.from({ length: channels }, (_, c) => strips(c)).flat();
  return new Blob([fitsHeader(layout), ...planes, fitsPadding(layout)] as BlobPart[], { type: "image/fits" });
}

/**
 * The headers of a stack's pictures: that of the reference, whose pixels they share, with what is true of all subs that went in.
 * Properties in which subs differ are named together (filters) or left out.
 */
async function headerOfStack(
  pool: WorkerPool,
  { subs, frames }: StackRequest,
  plan: StackPlan,
  signal?: AbortSignal,
): Promise<(of: "stack" | "A" | "B" | "coverage") => FitsCard[]> {
  const frame = frames.get(plan.referenceId) as FrameRef;
  const source = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  const facts = new Map(subs.map((sub) => [sub.id, sub]));
  const reference = facts.get(plan.referenceId);
  const unit = unitOfSamples(reference?.unit ?? (await pool.run("tellUnit", { frame, look: false }, { signal })));
  const { calibration } = frame;
  const step = calibration ? scaleOfCalibration(calibration.settings, calibration.pattern) : 1;
  const { moved, set: _pattern, ...read } = asRead(source);
  return (of) => {
    const used = plan.used.filter(({ half }) => (of === "A" || of === "B" ? half === of : true));
    const known = used.flatMap(({ id }) => facts.get(id)?.metadata ?? []);
    const common = commonMetadata(known, reference?.metadata ?? source.metadata);
    const exposure = used.reduce((sum, { id }) => sum + (facts.get(id)?.exposureS ?? 0), 0);
    return keptHeader({
      ...read,
      moved: step === 1 ? moved : [...moved, binnedBy(step)],
      ...{ unit: of === "coverage" ? COUNTS : unit, combined: true, demosaiced: plan.channels > 1 },
      set: [
        ["CREATOR", CREATOR],
        ["IMAGETYP", of === "stack" ? "stack" : of === "coverage" ? "stack coverage" : `stack half ${of}`],
        ...metadataCards({
          ...common,
          exposureS: null,
          binning: common.binning === null ? null : common.binning * step,
        }),
        ["EXPTIME", exposure, "s, all subs used"],
        ["NCOMBINE", used.length, "subs used"],
        ...endCards(known),
      ],
    }).cards;
  };
}

/** Numbers of subs are no levels. */
const COUNTS: FrameUnit = {
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: null,
  electronsPerAdu: null,
  from: { name: "count", fullScale: "count", saturation: "count" },
};

/** What all subs agree in; filters are named together, the date is that of the first. */
function commonMetadata(known: SubMetadata[], reference: SubMetadata): SubMetadata {
  const same = <K extends keyof SubMetadata>(key: K): SubMetadata[K] | null => {
    const values = new Set(known.map((metadata) => metadata[key]));
    return values.size > 1 ? null : reference[key];
  };
  const filters = [...new Set(known.flatMap(({ filter }) => filter ?? []))];
  const dates = known.flatMap(({ date }) => date ?? []).sort();
  return {
    ...reference,
    object: reference.object ?? known.find(({ object }) => object !== null)?.object ?? null,
    filter: filters.length > 0 ? filters.join("+") : reference.filter,
    date: dates[0] ?? reference.date,
    gain: same("gain"),
    offset: same("offset"),
    electronsPerAdu: same("electronsPerAdu"),
    instrument: same("instrument"),
    telescope: same("telescope"),
  };
}

/** When the last sub ended, where dates and exposures are known. */
function endCards(known: SubMetadata[]): FitsCard[] {
  const ends = known.flatMap(({ date, exposureS }) => {
    const start = date === null ? NaN : Date.parse(`${date}Z`);
    return Number.isNaN(start) ? [] : [start + 1000 * (exposureS ?? 0)];
  });
  if (ends.length === 0) return [];
  const last = ends.reduce((a, b) => Math.max(a, b));
  return [["DATE-END", new Date(last).toISOString().slice(0, 23), "UTC, end of the last exposure"]];
}

function recipeLines(plan: StackPlan, settings: StackSettings, report: StackReport): string[] {
  return [
    `stack of ${plan.used.length} subs, reference ${report.referenceName}`,
    `settings ${JSON.stringify(settings)}`,
    ...plan.used.map((sub) => `used ${sub.name} half ${sub.half} warp ${warpWords(sub.toReference)}`),
    ...plan.leftOut.map((sub) => `left out ${sub.name}: ${sub.reason}`),
  ];
}
