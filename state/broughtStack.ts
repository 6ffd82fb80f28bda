import { UserError } from "@/core/job";
import { pixelScaleOf } from "@/core/formats";
import { broughtReport, stackSettings } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import { inspectStack } from "@/engine/jobs/inspect";
import { blobRef } from "@/engine/jobs/render";
import { PRIORITY } from "@/engine/pool";
import type { StackPictures, StackRecord } from "@/storage";
import { RECORD_VERSION } from "@/storage";
import { checkRoom } from "./importer";
import type { JobControl } from "./jobs";
import type { ProjectStore } from "./projectStore";
import type { FoundPicture } from "./roles";
import { stemOf } from "./roles";
import { firstStack } from "./selectors";
import { tied } from "./stacks";
import { storageFailure } from "./storageFailure";

export interface FoundGroup {
  stack: FoundPicture;
  parts: Partial<Record<"a" | "b" | "coverage", FoundPicture>>;
}

/**
 * Stacks with the parts that belong to them: those whose names begin as the stack's does, the longest beginning first; where there is one stack
 * only, all are its. Throws UserError for parts without a stack, and for half a pair of halves.
 */
export function groupFound(found: readonly FoundPicture[]): FoundGroup[] {
  const groups: FoundGroup[] = found.filter(({ role }) => role === "mean").map((stack) => ({ stack, parts: {} }));
  for (const part of found) {
    const { role } = part;
    if (role === "mean" || role === "none") continue;
    const alike = groups.length === 1 ? groups : groups.filter(({ stack }) => part.name.startsWith(stemOf(stack.name)));
    const [own] = alike.sort((p, q) => q.stack.name.length - p.stack.name.length);
    if (!own)
      throw new UserError(
        `${part.name}: the stack that it belongs to is not there`,
        "Choose the stack together with its halves, or say that this file is the stack.",
      );
    if (own.parts[role])
      throw new UserError(
        `${part.name}: ${own.parts[role].name} is ${role === "coverage" ? "the coverage" : `half ${role.toUpperCase()}`} of ${own.stack.name} already`,
        "Say what each of the files is.",
      );
    own.parts[role] = part;
  }
  for (const { stack, parts } of groups)
    if ((parts.a === undefined) !== (parts.b === undefined))
      throw new UserError(
        `${stack.name}: only half ${parts.a ? "A" : "B"} of it is there`,
        "Choose both halves, or neither.",
      );
  return groups;
}

/** Reads a stack that was made elsewhere, looks it over, ties it to the project's first and stores it. */
export async function bringStack(
  base: ProjectStore,
  { stack, parts }: FoundGroup,
  { signal, onProgress }: JobControl,
): Promise<StackRecord> {
  const { pool, storage } = base;
  const pictures: Partial<StackPictures> = {};
  const files = { mean: stack, ...parts };
  let first: Awaited<ReturnType<typeof readPicture>> | null = null;
  for (const [k, kind] of (["mean", "a", "b", "coverage"] as const).entries()) {
    const file = files[kind];
    if (!file) continue;
    onProgress(0.15 * k, `Reading ${file.name}`);
    const read = await readPicture(base, file, signal);
    first ??= read;
    const { width, height, channels } = read.reading;
    const wanted = kind === "coverage" ? 1 : first.reading.channels;
    if (width !== first.reading.width || height !== first.reading.height || channels !== wanted)
      throw new UserError(
        `${file.name}: is ${width} × ${height} with ${channels} channels; ${stack.name} is ${first.reading.width} × ${first.reading.height} with ${first.reading.channels}`,
        "Choose the parts of one stack.",
      );
    pictures[kind] = read.blob;
  }
  if (!first || !pictures.mean) throw new UserError("no stack was chosen", "Choose a file.");
  const frame = blobRef(crypto.randomUUID(), stack.name, stack.blob);
  const hash = await pool.run("hashFile", { frame }, { priority: PRIORITY.batch, signal });
  const known = base.now.stacks.find(({ brought }) => brought?.hash === hash);
  if (known)
    throw new UserError(
      `${stack.name}: is in the project already, as “${known.name}”`,
      "Leave it, or delete the other first.",
    );
  const bytes = Object.values(pictures).reduce((sum, blob) => sum + blob.size, 0);
  await checkRoom(stack.name, bytes, storage, (words) => base.report(new UserError(words, "")));
  onProgress(0.6, `Measuring ${stack.name}`);
  const refOf = (kind: keyof typeof files): FrameRef => ({
    id: crypto.randomUUID(),
    name: files[kind]?.name ?? kind,
    kind: "blob",
    blob: pictures[kind] as Blob,
  });
  const halves = pictures.a && pictures.b ? { a: refOf("a"), b: refOf("b") } : null;
  const facts = await inspectStack(pool, { picture: refOf("mean"), halves }, signal);
  const { metadata, cards } = first.reading;
  const count = Number(cards.find(({ keyword }) => keyword === "NCOMBINE")?.value);
  const combined = Number.isInteger(count) && count > 0 ? count : null;
  const record: StackRecord = {
    version: RECORD_VERSION,
    id: crypto.randomUUID(),
    projectId: base.project.id,
    name: stemOf(stack.name).slice(0, 80),
    createdAt: Date.now(),
    settings: stackSettings.parse({}),
    report: broughtReport(stack.name, combined, metadata.exposureS, facts),
    facts,
    object: metadata.object,
    toProject: null,
    calibration: null,
    brought: {
      files: [stack, parts.a, parts.b, parts.coverage].flatMap((file) => file?.name ?? []),
      hasHalves: halves !== null,
      hasCoverage: pictures.coverage !== undefined,
      combined,
      joined: null,
      copyOf: null,
      hash,
      arcsecPerPx: pixelScaleOf(metadata),
    },
    gridId: null,
    note: "",
    deletedAt: null,
  };
  record.toProject = await tied(pool, record, firstStack(base.now));
  try {
    await storage.addStack(record, { ...pictures, mean: pictures.mean });
  } catch (error) {
    throw storageFailure(error);
  }
  return record;
}

/** A picture's header, and its file in a form of which parts can be read. */
async function readPicture({ pool }: ProjectStore, { name, blob }: FoundPicture, signal: AbortSignal) {
  const frame: FrameRef = { id: crypto.randomUUID(), name, kind: "blob", blob };
  const reading = await pool.run("readFile", { frame }, { priority: PRIORITY.batch, signal });
  if (reading.frames > 1)
    throw new UserError(`${name}: is a video of ${reading.frames} frames, and no stack`, "Bring it in as subs.");
  if (reading.metadata.cfa !== null && reading.channels === 1)
    throw new UserError(
      `${name}: is a raw colour mosaic by its header, and no stack`,
      "Bring it in as a sub; its colours are interpolated there.",
    );
  if (reading.randomAccess) return { reading, blob };
  const unpacked = await pool.run("unpack", { frame }, { priority: PRIORITY.batch, signal });
  return { reading, blob: new Blob([unpacked as BlobPart]) };
}
