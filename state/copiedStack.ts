import { UserError } from "@/core/job";
import type { ResamplingKernel } from "@/core/register";
import { broughtReport } from "@/core/stack";
import { copyPicture } from "@/engine/jobs/copy";
import { inspectStack } from "@/engine/jobs/inspect";
import { blobRef } from "@/engine/jobs/render";
import type { StackPictures, StackRecord } from "@/storage";
import { hasHalves, RECORD_VERSION } from "@/storage";
import type { Files } from "./files";
import { checkRoom } from "./importer";
import type { JobControl } from "./jobs";
import type { ProjectStore } from "./projectStore";
import { firstStack } from "./selectors";
import { tied } from "./stacks";
import { storageFailure } from "./storageFailure";

/** How a stack is copied: at which scale, and by which kernel where it is enlarged. */
export interface CopyChoice {
  factor: number;
  resampling: ResamplingKernel;
}

/** A stack at another scale, with its halves, as a stack of its own. */
export async function copyStack(
  { base, files }: { base: ProjectStore; files: Files },
  stack: StackRecord,
  { factor, resampling }: CopyChoice,
  { signal, onProgress }: JobControl,
): Promise<StackRecord> {
  const { pool, storage } = base;
  const kinds = hasHalves(stack) ? (["mean", "a", "b"] as const) : (["mean"] as const);
  const name = `${stack.name} at ${Math.round(100 * factor)} %`.slice(-80);
  const bytes = 4 * stack.facts.width * stack.facts.height * stack.facts.channels * factor ** 2 * kinds.length;
  await checkRoom(`“${name}”`, bytes, storage, (words) => base.report(new UserError(words, "")));
  const made: Partial<StackPictures> = {};
  for (const [k, kind] of kinds.entries()) {
    const frame = await files.stack(stack, kind);
    made[kind] = await copyPicture(
      pool,
      { frame, factor, resampling },
      { signal, onProgress: (fraction) => onProgress((0.8 * (k + fraction)) / kinds.length, "Copying") },
    );
  }
  const { mean, a, b } = made;
  if (!mean) throw new RangeError("a copy without a picture");
  onProgress(0.85, "Measuring the copy");
  const refOf = (blob: Blob) => blobRef(crypto.randomUUID(), name, blob);
  const halves = a && b ? { a: refOf(a), b: refOf(b) } : null;
  const facts = await inspectStack(pool, { picture: refOf(mean), halves }, signal);
  const { subsUsed, integrationS } = stack.report;
  const combined = stack.brought ? stack.brought.combined : subsUsed;
  const record: StackRecord = {
    ...stack,
    version: RECORD_VERSION,
    id: crypto.randomUUID(),
    name,
    createdAt: Date.now(),
    report: broughtReport(name, combined, integrationS || null, facts),
    facts,
    toProject: null,
    brought: {
      files: [stack.name],
      hasHalves: halves !== null,
      hasCoverage: false,
      combined,
      joined: null,
      hash: null,
      arcsecPerPx: null,
      copyOf: { stackId: stack.id, factor, resampling },
    },
    note: "",
    deletedAt: null,
  };
  record.toProject = await tied(pool, record, firstStack(base.now));
  try {
    await storage.addStack(record, { ...made, mean });
  } catch (error) {
    throw storageFailure(error);
  }
  return record;
}
