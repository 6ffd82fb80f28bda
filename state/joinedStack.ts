import { UserError } from "@/core/job";
import { channelsByFilter } from "@/core/join";
import { broughtReport, stackSettings } from "@/core/stack";
import { inspectStack } from "@/engine/jobs/inspect";
import { blobRef } from "@/engine/jobs/render";
import type { JoinInput } from "@/engine/jobs/join";
import { joinStacks } from "@/engine/jobs/join";
import type { StackRecord, SubRecord } from "@/storage";
import { hasHalves, RECORD_VERSION } from "@/storage";
import type { Files } from "./files";
import { checkRoom } from "./importer";
import type { JobControl } from "./jobs";
import type { ProjectStore } from "./projectStore";
import { firstStack } from "./selectors";
import { tied } from "./stacks";
import { storageFailure } from "./storageFailure";

const CHANNELS = ["red", "green", "blue", "luminance"] as const;

/** Which stack goes to which channel, by id. */
export interface JoinChoice {
  red: string;
  green: string;
  blue: string;
  /** Null for none. */
  luminance: string | null;
  /** What each counts for in its channel; 1 where it is not told. */
  weights?: Partial<Record<(typeof CHANNELS)[number], number>>;
}

/** The filter of a stack's subs, where they have one; of one that was brought in, the last word of its name. */
function filterOf({ name, report }: StackRecord, subs: readonly SubRecord[]): string | null {
  const used = new Set(report.subs.filter((sub) => sub.used).map((sub) => sub.name));
  const filters = new Set(subs.filter((sub) => used.has(sub.name)).map(({ metadata }) => metadata.filter));
  const words = name.replace(/\.\w+$/, "").split(/[\s_.-]+/);
  return filters.size === 0 ? (words[words.length - 1] ?? null) : filters.size === 1 ? [...filters][0] : null;
}

/** Stacks of one channel as their filters suggest. */
export function channelsOf(stacks: readonly StackRecord[], subs: readonly SubRecord[]): JoinChoice {
  const { red, green, blue, luminance } = channelsByFilter(stacks.map((stack) => filterOf(stack, subs)));
  const at = (k: number) => stacks[k].id;
  return { red: at(red), green: at(green), blue: at(blue), luminance: luminance === null ? null : at(luminance) };
}

/** Joins stacks of one channel each into a colour stack of the project, with halves where all of them have some. */
export async function joinProjectStacks(
  { base, files }: { base: ProjectStore; files: Files },
  name: string,
  choice: JoinChoice,
  { signal, onProgress }: JobControl,
): Promise<StackRecord> {
  const { pool, storage, now } = base;
  const parts = CHANNELS.flatMap((channel) => {
    const id = choice[channel];
    if (id === null) return [];
    const stack = now.stacks.find((one) => one.id === id);
    if (!stack) throw new UserError(`the stack for ${channel} is not there any more`, "Choose another.");
    return [{ channel, stack }];
  });
  const inputOf = async ({ channel, stack }: (typeof parts)[number]): Promise<JoinInput> => ({
    picture: await files.stack(stack, "mean"),
    halves: hasHalves(stack) ? { a: await files.stack(stack, "a"), b: await files.stack(stack, "b") } : null,
    weight: choice.weights?.[channel] ?? 1,
  });
  const [red, green, blue, luminance] = await Promise.all(parts.map(inputOf));
  const { width, height } = parts[0].stack.facts;
  await checkRoom(`“${name}”`, 36 * width * height, storage, (words) => base.report(new UserError(words, "")));
  const joined = await joinStacks(
    pool,
    { red, green, blue, luminance: luminance ?? null },
    { signal, onProgress: (fraction, doing) => onProgress(0.8 * fraction, doing) },
  );
  onProgress(0.85, "Measuring the picture");
  const refOf = (blob: Blob) => blobRef(crypto.randomUUID(), name, blob);
  const halves = joined.halves && { a: refOf(joined.halves.a), b: refOf(joined.halves.b) };
  const facts = await inspectStack(pool, { picture: refOf(joined.picture), halves }, signal);
  const sources = [...new Map(parts.map(({ stack }) => [stack.id, stack])).values()];
  const sum = (of: (stack: StackRecord) => number) => sources.reduce((total, stack) => total + of(stack), 0);
  const combined = sum(({ report }) => report.subsUsed);
  const record: StackRecord = {
    version: RECORD_VERSION,
    id: crypto.randomUUID(),
    projectId: base.project.id,
    name,
    createdAt: Date.now(),
    settings: stackSettings.parse({}),
    report: broughtReport(name, combined, sum(({ report }) => report.integrationS) || null, facts),
    facts,
    object: sources.find(({ object }) => object !== null)?.object ?? null,
    toProject: null,
    calibration: null,
    brought: {
      files: parts.map(({ channel, stack }) => `${channel}: ${stack.name}`),
      hasHalves: halves !== null,
      hasCoverage: false,
      combined,
      copyOf: null,
      hash: null,
      arcsecPerPx: null,
      joined: parts.map(({ channel, stack }, i) => ({ channel, stackId: stack.id, part: joined.parts[i].part })),
    },
    gridId: null,
    note: "",
    deletedAt: null,
  };
  record.toProject = await tied(pool, record, firstStack(base.now));
  try {
    await storage.addStack(record, { mean: joined.picture, ...(joined.halves ?? {}) });
  } catch (error) {
    throw storageFailure(error);
  }
  return record;
}
