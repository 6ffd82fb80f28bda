import type { Evidence, MadeOf, NoisySource, StarSupport, Support } from "@/core/compare";
import { bootstrapLight, NOISY_SOURCES } from "@/core/compare";
import type { PointShape } from "@/core/measure";
import { tilesOf } from "@/core/raster";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import type { Treatment } from "../tasks/crop";
import type { Place } from "../tasks/place";

/** It was asked for: before the figures of all crops. What is put together of what was made comes before what else is to be made. */
const [MAKING, JOINING] = [PRIORITY.view, PRIORITY.interaction];

/** All evidence of a place; the chain's runs over several pictures are shared by the workers. Null without halves. */
export async function evidenceOfPlace(
  pool: WorkerPool,
  at: Place,
  shape: PointShape | null,
  signal?: AbortSignal,
): Promise<Evidence | null> {
  if (!at.treatment.halves) return null;
  const made = await runsOver(pool, at, { sources: NOISY_SOURCES, withAnswer: true }, signal);
  return pool.run("evidence", { ...at, shape, made }, { priority: JOINING, signal });
}

/** What two runs of the chain show first of a place: its light and its stars. Null without halves. */
export async function supportOfPlace(
  pool: WorkerPool,
  at: Place,
  shape: PointShape | null,
  signal?: AbortSignal,
): Promise<Support | null> {
  if (!at.treatment.halves) return null;
  const made = await runsOver(pool, at, { sources: ["plus"], withAnswer: false }, signal);
  return pool.run("support", { ...at, shape, made }, { priority: JOINING, signal });
}

/** The same chain on several pictures; on its own answer too where that is asked for and says something. */
async function runsOver(
  pool: WorkerPool,
  at: Place,
  { sources, withAnswer }: { sources: readonly NoisySource[]; withAnswer: boolean },
  signal?: AbortSignal,
): Promise<MadeOf> {
  const options = { priority: MAKING, signal };
  // What the first steps made of it is in the worker that made it; the two runs of a first part keep to a worker each.
  const part = `${at.treatment.picture.id} ${at.region.width}`;
  const homeOf = (which: string) => ({ ...options, affinity: `evidence ${which} ${part}` });
  const of = async (source: NoisySource) =>
    [source, await pool.run("evidenceSource", { ...at, source }, homeOf(source))] as const;
  const answerTo = (light: Float32Array | null) =>
    light ? pool.run("evidenceAnswer", { ...at, light }, options) : undefined;
  const whole = pool.run("evidenceWhole", at, homeOf("whole"));
  const [first, answer, ...others] = await Promise.all([
    whole,
    withAnswer ? whole.then((views) => answerTo(bootstrapLight(views))) : undefined,
    ...sources.map(of),
  ]);
  return { whole: first, answer, ...Object.fromEntries(others) };
}

/** Evidence for a whole picture, put together of that for its tiles. */
export interface WholeEvidence extends Pick<
  Evidence,
  "isBlurred" | "noise" | "error" | "unsupportedShare" | "lostShare"
> {
  stars: StarSupport[];
  /** Where most light is not in the data, the worst first: the middle of the brightest mark of a tile, px. */
  worst: { x: number; y: number; sigma: number }[];
}

const TILE = 512;
/** Places that are named, and how far apart they lie at least, px. */
const [WORST, APART] = [5, 128];

/** Looks at every tile of a treated picture; null without halves. Where one fails or it is stopped, the others are stopped and no more is heard of them. Means are root mean squares over tiles, by area. */
export async function wholeEvidence(
  pool: WorkerPool,
  treatment: Treatment,
  size: { width: number; height: number },
  shape: PointShape | null,
  { onProgress, signal }: { onProgress: (share: number) => void; signal?: AbortSignal },
): Promise<WholeEvidence | null> {
  const tiles = tilesOf({ x: 0, y: 0, width: size.width, height: size.height }, TILE);
  const failed = new AbortController();
  const ends = signal ? AbortSignal.any([signal, failed.signal]) : failed.signal;
  let done = 0;
  const found = await Promise.all(
    tiles.map(async (region) => {
      const options = { priority: PRIORITY.batch, signal: ends };
      const evidence = await pool.run("evidence", { treatment, region, shape }, options);
      if (!ends.aborted) onProgress(++done / tiles.length);
      return evidence && { summary: withoutMaps(evidence), peaks: peaksOf(evidence) };
    }),
  ).catch((error: unknown) => {
    failed.abort();
    throw error;
  });
  const known = found.flatMap((tile) => tile ?? []);
  if (known.length === 0) return null;
  const areas = known.map(({ summary: { region } }) => region.width * region.height);
  const total = areas.reduce((sum, area) => sum + area, 0);
  const mean = (of: (k: number) => number) => known.reduce((sum, _, k) => sum + areas[k] * of(k), 0) / total;
  const rms = (of: (k: number) => number) => Math.sqrt(mean((k) => of(k) ** 2));
  const scales = known[0].summary.noise.before.map((_, j) => j);
  const errors = known.map(({ summary }) => summary.error);
  return {
    isBlurred: known.some(({ summary }) => summary.isBlurred),
    noise: {
      before: scales.map((j) => rms((k) => known[k].summary.noise.before[j])),
      left: scales.map((j) => rms((k) => known[k].summary.noise.left[j])),
    },
    error: errors.some((error) => error === null) ? null : rms((k) => errors[k] ?? 0),
    unsupportedShare: mean((k) => known[k].summary.unsupportedShare),
    lostShare: mean((k) => known[k].summary.lostShare),
    stars: known.flatMap(({ summary }) => summary.stars),
    worst: apart(known.flatMap(({ peaks }) => peaks)),
  };
}

function withoutMaps({ unsupported: _unsupported, lost: _lost, ...rest }: Evidence) {
  return rest;
}

/** The strongest mark of a tile, where it is significant. */
function peaksOf({ unsupported, region }: Evidence): WholeEvidence["worst"] {
  let best = 0;
  unsupported.forEach((v, i) => (best = v > unsupported[best] ? i : best));
  const sigma = unsupported[best];
  if (!(sigma > 3)) return [];
  return [{ x: region.x + (best % region.width), y: region.y + Math.floor(best / region.width), sigma }];
}

function apart(peaks: WholeEvidence["worst"]): WholeEvidence["worst"] {
  const chosen: WholeEvidence["worst"] = [];
  for (const peak of [...peaks].sort((a, b) => b.sigma - a.sigma))
    if (chosen.length < WORST && chosen.every(({ x, y }) => Math.hypot(x - peak.x, y - peak.y) >= APART))
      chosen.push(peak);
  return chosen;
}
