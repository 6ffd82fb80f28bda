import { UserError } from "@/core/job";
import type { Warp } from "@/core/register";
import { compose, IDENTITY } from "@/core/register";
import type { StackSettings, SubFacts } from "@/core/stack";
import { withCalibration } from "@/engine/calibration";
import type { FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import { makeStack } from "@/engine/jobs/stack";
import type { CalibrationPlan, StackRecord, SubRecord } from "@/storage";
import { RECORD_VERSION } from "@/storage";
import { keyOf, stackCalibrationOf } from "./calibration";
import type { CalibrationBook } from "./calibrationBook";
import type { Files } from "./files";
import type { JobControl } from "./jobs";
import { checkRoom, measuresOf } from "./importer";
import { factsOf } from "./lights";
import type { ProjectStore } from "./projectStore";
import { firstStack, referenceOf } from "./selectors";
import { overCommonSub } from "./stackFrames";
import { storageFailure } from "./storageFailure";

/** What making a stack needs of the project. */
export interface StackSource {
  base: ProjectStore;
  files: Files;
  calibration: CalibrationBook;
}

/**
 * Calibrates, measures again where the plan is another than the one that the measures were made by, stacks and stores. Measures made for
 * one stack are not kept with the subs, so that stacks with and without darks can be made from the same subs.
 */
export async function makeProjectStack(
  { base, files, calibration: book }: StackSource,
  wanted: {
    name: string;
    settings: StackSettings;
    included: SubRecord[];
    plan: CalibrationPlan;
    gridId?: string | null;
  },
  control: JobControl,
): Promise<StackRecord> {
  const { name, included, plan } = wanted;
  const { signal, onProgress } = control;
  if (included.length === 0) throw new UserError("no sub is included", "Include at least one sub on the Subs screen.");
  if (included.some(({ video }) => video !== null))
    throw new UserError(
      "frames of a video are matched by their stars, and have none",
      "Choose lights of a deep-sky set; videos can be looked through and their frames ranked so far.",
    );
  const [first] = included;
  const { width, height } = first.measuredSize;
  const isColour = first.channels > 1 || (book.of(first, plan)?.pattern ?? null) !== null;
  const needed = bytesOfStack(width, height, isColour ? 3 : 1);
  await checkRoom(`the stack “${name}” of ${Math.ceil(needed / 2 ** 20)} MB`, needed, base.storage, (words) =>
    base.report(new UserError(words, "")),
  );
  const frames = new Map<string, FrameRef>();
  const facts: SubFacts[] = [];
  const factsThrough = async (sub: SubRecord, share: number): Promise<SubFacts> => {
    const calibration = book.of(sub, plan);
    const raw = await files.raw(sub);
    const frame = calibration ? withCalibration(raw, calibration) : raw;
    frames.set(sub.id, frame);
    if (keyOf(sub, calibration) === sub.measuredThrough) return factsOf(sub, calibration);
    onProgress(0.3 * share, `Measuring ${sub.name} as it will be stacked`);
    const reading = await base.pool.run("measureSub", { frame }, { priority: PRIORITY.measure, signal });
    return factsOf({ ...sub, ...measuresOf(reading), relation: null }, calibration);
  };
  for (const [k, sub] of included.entries()) facts.push(await factsThrough(sub, k / included.length));
  const gridSub = base.now.subs.find(({ id }) => id === wanted.gridId);
  if (wanted.gridId && !gridSub)
    throw new UserError(
      "the sub on whose pixels this stack was to lie is not in the project any more",
      "Make it again.",
    );
  const grid = gridSub && (facts.find(({ id }) => id === gridSub.id) ?? (await factsThrough(gridSub, 1)));
  const remeasured = facts.some((fact, i) => fact.measures !== included[i].measures);
  const start = remeasured ? 0.3 : 0;
  const proposed = referenceOf(base.now);
  const isIn = (id: string | null | undefined): id is string => included.some((sub) => sub.id === id);
  const referenceId = [wanted.settings.referenceId, proposed?.id].find(isIn) ?? null;
  const settings = { ...wanted.settings, referenceId };
  const object = included.find(({ metadata }) => metadata.object !== null)?.metadata.object ?? null;
  const made = await makeStack(
    base.pool,
    { subs: facts, frames, settings, grid, strips: base.storage.strips(base.project.id) },
    { signal, onProgress: (fraction, doing) => onProgress(start + (1 - start) * fraction, doing) },
  );
  const record: StackRecord = {
    toProject: null,
    version: RECORD_VERSION,
    id: crypto.randomUUID(),
    projectId: base.project.id,
    name,
    createdAt: Date.now(),
    settings,
    report: made.report,
    facts: made.facts,
    object,
    calibration: stackCalibrationOf(book.groups(plan), new Set(included.map(({ id }) => id)), plan),
    brought: null,
    gridId: wanted.gridId ?? null,
    note: "",
    deletedAt: null,
  };
  const { mean, a, b, coverage, rejected, rejectedBySub } = made;
  record.toProject = await tied(base.pool, record, firstStack(base.now));
  const pictures = { mean, a, b, coverage, rejected, rejectedBySub };
  try {
    await base.storage.addStack(record, pictures);
  } catch (error) {
    // It took long to make: it is kept in memory, to be stored again or saved as files.
    const failure = storageFailure(error);
    base.state.setState({ unsaved: { record, pictures, reason: failure.message } });
    throw failure;
  }
  base.save(made.release());
  return record;
}

/** Bytes that a stack of this size takes while it is made: its strips, and its pictures. */
const bytesOfStack = (width: number, height: number, channels: number): number =>
  2 * width * height * (4 * (3 * channels + 1) + 3);

/** Where a stack lies in the project, whose coordinates are those of its first stack: over a sub of both, else by their stars. */
export async function tied(pool: WorkerPool, stack: StackRecord, first: StackRecord | null): Promise<Warp | null> {
  if (!first) return IDENTITY;
  const [stars, to] = [stack.facts.starList, first.facts.starList];
  const toFirst = overCommonSub(stack, first) ?? (await pool.run("tie", { stars, to }, { priority: PRIORITY.view }));
  return toFirst && compose(first.toProject ?? IDENTITY, toFirst);
}
