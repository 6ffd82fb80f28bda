import { CREATOR } from "@/core/version";
import type { PictureFacts } from "@/core/compare";
import { fitsHeader, fitsPadding } from "@/core/formats";
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
  /** Lines for the history cards of the result: what it was made from and with. */
  object: string | null;
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
  const strips = stripsOf(width, height, pool.size);
  const budgetBytes = (settings.memoryMiB * 2 ** 20) / pool.size;
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
  const cards = stackCards(wanted, plan);
  const draft = {
    mean: assemble(width, height, channels, cards, [], (c) => results.map(({ mean }) => mean[c])),
    a: assemble(width, height, channels, cards, ["half A of the stack"], (c) => results.map(({ a }) => a[c])),
    b: assemble(width, height, channels, cards, ["half B of the stack"], (c) => results.map(({ b }) => b[c])),
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
    seconds: (Date.now() - started) / 1000,
    peakBytes: Math.max(...results.map(({ peakBytes }) => peakBytes)) * Math.min(pool.size, strips.length),
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
    coverage: assemble(width, height, 1, cards, ["subs with data at each pixel"], () =>
      results.map(({ coverage }) => coverage),
    ),
  };
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

type Cards = NonNullable<Parameters<typeof fitsHeader>[0]["cards"]>;

/** A float FITS file from the strips of its planes. */
export function assemble(
  width: number,
  height: number,
  channels: number,
  cards: Cards,
  history: string[],
  strips: (channel: number) => Blob[],
): Blob {
  const layout = { width, height, channels, sample: "float32" as const, cards, history };
  const planes = Array.from({ length: channels }, (_, c) => strips(c)).flat();
  return new Blob([fitsHeader(layout), ...planes, fitsPadding(layout)] as BlobPart[], { type: "image/fits" });
}

function stackCards({ object, subs }: StackRequest, plan: StackPlan): Cards {
  const used = new Set(plan.used.map(({ id }) => id));
  const exposure = subs.reduce((sum, sub) => sum + (used.has(sub.id) ? (sub.exposureS ?? 0) : 0), 0);
  return [
    ["CREATOR", CREATOR],
    ...(object ? ([["OBJECT", object.slice(0, 60)]] as Cards) : []),
    ["EXPTIME", exposure, "s, all subs used"],
    ["NCOMBINE", plan.used.length, "subs used"],
  ];
}

function recipeLines(plan: StackPlan, settings: StackSettings, report: StackReport): string[] {
  return [
    `stack of ${plan.used.length} subs, reference ${report.referenceName}`,
    `settings ${JSON.stringify(settings)}`,
    ...plan.used.map(
      (sub) => `used ${sub.name} half ${sub.half} transform ${sub.toReference.map((v) => v.toPrecision(9)).join(" ")}`,
    ),
    ...plan.leftOut.map((sub) => `left out ${sub.name}: ${sub.reason}`),
  ];
}
