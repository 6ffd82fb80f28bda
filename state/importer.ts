import { NO_MEASURES } from "@/core/measure";
import { Stopped, UserError } from "@/core/job";
import type { SubMetadata } from "@/core/formats";
import type { CalibrationRef, FrameRef } from "@/engine/frames";
import { withCalibration } from "@/engine/calibration";
import { measureFrames } from "@/engine/jobs/video";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type { FileReading, SubReading } from "@/engine/tasks/subs";
import type { MasterRecord, ReadRepository, StoredFile, SubRecord, WriteRepository } from "@/storage";
import { isFull, RECORD_VERSION } from "@/storage";
import { keyOf } from "./calibration";
import type { FoundPicture } from "./roles";
import { kindOf, roleOf } from "./roles";
import type { JobControl } from "./jobs";
import { storageFailure } from "./storageFailure";

/** A file that is to come in. */
export interface WaitingFile {
  name: string;
  load: (signal: AbortSignal) => Promise<Blob>;
  /** Its place among all files of the project, from when it was chosen. @default after those that are there */
  order?: number;
}

/** A file that did not come in, and why. */
export interface RefusedFile {
  name: string;
  message: string;
  advice: string;
  /** Nothing is wrong: it is said, not warned of. @default false */
  isHarmless?: boolean;
}

/** What importing needs of the project. */
export interface ImportTarget {
  projectId: string;
  pool: WorkerPool;
  stored: Pick<ReadRepository, "blob">;
  storage: WriteRepository;
  subs(): readonly SubRecord[];
  /** Hashes of files that are being received, by this import or another of the project. */
  receiving: Set<string>;
  /** Calibration with which a new light is measured. */
  calibrationFor(sub: SubRecord): CalibrationRef | null;
  add(subs: SubRecord[]): void;
  refuse(file: RefusedFile): void;
  /** Takes a file up that is a stack or a part of one. */
  find(file: FoundPicture): void;
  /** Takes a master up that came as a file. */
  addMaster(master: MasterRecord): Promise<void>;
  /** Tells something that a person should know, in words. */
  report(words: string): void;
}

/** The browser's storage cannot take more: the import ends here, and what is left can go on later. */
export class StorageFull extends UserError {
  constructor(name: string) {
    super(
      `the browser's storage is full before ${name}`,
      "Nothing that was there is changed. Delete projects or free disk space, then go on with the files that are left.",
    );
    this.name = "StorageFull";
  }
}

/** A file on which an import was stopped after so long is set aside. */
const STUCK_S = 10;
/** Room that is left free, for records and stacks. */
const SPARE_BYTES = 64 * 2 ** 20;

/** A file whose place is given. */
type Incoming = Required<WaitingFile>;

/**
 * Reads, measures and stores files, as many at a time as there are workers while another is loaded. A file that cannot be used is
 * refused and the rest goes on. `onLeft` hears what is left after each file and at the end. Throws Stopped or StorageFull with none of
 * it lost.
 */
export async function importFiles(
  target: ImportTarget,
  chosen: WaitingFile[],
  label: string,
  { signal, onProgress }: JobControl,
  onLeft: (left: WaitingFile[], isEnd: boolean) => void,
): Promise<void> {
  const known = new KnownFiles(target);
  const begun = Date.now();
  // Files on which an import was stopped keep the places that they had in it.
  const files = chosen.map((file, k): Incoming => ({ ...file, order: file.order ?? begun + k / 1000 }));
  const left = new Set(files);
  const isLeft = (isEnd: boolean) => onLeft([...left], isEnd);
  /** Ends the others once one cannot go on. */
  const ending = new AbortController();
  const ends = AbortSignal.any([signal, ending.signal]);
  /** Files, with parts of those that are on their way. */
  let done = 0;
  const goesOn = (part: number) => onProgress((done += part) / files.length);
  let alreadyHere = 0;
  const waiting = files.entries();
  /** Those on their way, the first of them for the longest time. */
  const onTheirWay = new Set<number>();
  const takeNext = async (): Promise<void> => {
    for (const [k, file] of waiting) {
      const { name } = file;
      if (ends.aborted) throw new Stopped();
      onProgress(done / files.length, `${label}: ${name} (${k + 1} of ${files.length})`);
      onTheirWay.add(k);
      const started = Date.now();
      let own = 0;
      const onProgressOfIt = (part: number) => {
        goesOn(part - own);
        own = part;
      };
      try {
        const isNew = await importOne(target, known, file, { signal: ends, onProgress: onProgressOfIt });
        if (!isNew) alreadyHere++;
      } catch (error) {
        if (ends.aborted || error instanceof StorageFull) {
          ending.abort();
          // The one that took so long that it was stopped would only hold the next import up as well.
          const [longest] = onTheirWay;
          const seconds = Math.round((Date.now() - started) / 1000);
          if (!signal.aborted || seconds < STUCK_S || k !== longest) throw error;
          left.delete(files[k]);
          target.refuse({
            name,
            message: `${name}: was stopped after ${seconds} s`,
            advice: "It is set aside; choose it again to give it more time.",
          });
          throw error;
        }
        const { message, advice } = failureOf(error);
        target.refuse({ name, message, advice });
      }
      left.delete(files[k]);
      onTheirWay.delete(k);
      onProgressOfIt(1);
      isLeft(false);
    }
  };
  const ended = await Promise.allSettled(Array.from({ length: target.pool.size + 1 }, takeNext));
  isLeft(true);
  const reasons = ended.flatMap((one) => (one.status === "rejected" ? [one.reason as unknown] : []));
  if (reasons.length > 0) throw reasons.find((reason) => reason instanceof StorageFull) ?? reasons[0];
  if (alreadyHere > 0)
    target.refuse({
      name: alreadyHere === 1 ? "One file" : `${alreadyHere} files`,
      message: `${alreadyHere === 1 ? "One file is" : `${alreadyHere} files are`} in the project already`,
      advice: "Nothing to do: each is the same as one that is there, byte for byte.",
      isHarmless: true,
    });
}

/** Takes a file in; false where one of its content is there or is being received. */
async function importOne(
  target: ImportTarget,
  known: KnownFiles,
  { name, load, order }: Incoming,
  control: Pick<JobControl, "signal" | "onProgress">,
): Promise<boolean> {
  const { signal } = control;
  const file = await untilStopped(load(signal), signal);
  const hash = await known.hashOf(name, file, signal);
  const isHere = await known.has(hash, file.size, signal);
  if (isHere || target.receiving.has(hash)) return false;
  target.receiving.add(hash);
  await receive(target, { name, file, hash, order }, control).finally(() => target.receiving.delete(hash));
  return true;
}

/** Files of a project by their content: the same file under another name is the same, another one of its name is not. */
class KnownFiles {
  private readonly unhashed = new Map<string, SubRecord>();

  constructor(private readonly target: ImportTarget) {
    for (const sub of target.subs()) if (sub.hash === null) this.unhashed.set(sub.fileId, sub);
  }

  hashOf(name: string, blob: Blob, signal: AbortSignal): Promise<string> {
    const frame: FrameRef = { id: `hash ${crypto.randomUUID()}`, name, kind: "blob", blob };
    return this.target.pool.run("hashFile", { frame }, { priority: PRIORITY.measure, signal });
  }

  /** Whether a file of this content is there. Files of before hashes were kept are hashed once one of their size comes. */
  async has(hash: string, size: number, signal: AbortSignal): Promise<boolean> {
    const alike = [...this.unhashed.values()].filter(({ bytes }) => bytes === size);
    for (const sub of alike) {
      this.unhashed.delete(sub.fileId);
      const blob = await this.target.stored.blob(sub.fileId);
      // A file that was unpacked on import is not what came.
      if (!blob || blob.size !== sub.bytes) continue;
      if ((await this.hashOf(sub.name, blob, signal)) === hash) return true;
    }
    return this.target.subs().some((sub) => sub.hash === hash);
  }
}

/** Reads, measures and stores a file that is new. */
async function receive(
  target: ImportTarget,
  { name, file, hash, order }: { name: string; file: Blob; hash: string; order: number },
  { signal, onProgress }: Pick<JobControl, "signal" | "onProgress">,
): Promise<void> {
  const { pool, projectId } = target;
  const fileId = crypto.randomUUID();
  const came: FrameRef = { id: fileId, name, kind: "blob", blob: file };
  const reading = await pool.run("readFile", { frame: came }, { priority: PRIORITY.measure, signal });
  const { product } = reading.metadata;
  if (product !== null) return target.find({ name, blob: file, role: roleOf(name, product, kindOf(reading.cards)) });
  let stored: StoredFile = { id: fileId, projectId, blob: file };
  if (!reading.randomAccess) {
    const unpacked = await pool.run("unpack", { frame: came }, { priority: PRIORITY.measure, signal });
    stored = { id: fileId, projectId, blob: new Blob([unpacked as BlobPart]), cards: reading.cards };
  }
  await checkRoom(name, stored.blob.size, target.storage, (words) => target.report(words));
  const kind = reading.metadata.master ? reading.metadata.frameType : null;
  if (kind !== null && kind !== "light")
    return importMaster(target, { name, kind, reading, frame: came, stored }, signal);
  const base = {
    version: RECORD_VERSION as typeof RECORD_VERSION,
    projectId,
    order,
    type: reading.metadata.frameType ?? ("light" as const),
    fileId,
    decision: null,
    rival: false,
    format: reading.format,
    bytes: file.size,
    hash,
    width: reading.width,
    height: reading.height,
    channels: reading.channels,
    bitpix: reading.bitpix,
    notes: [...reading.notes],
    typed: [],
    relation: null,
    patches: null,
  };
  const frame: FrameRef = { ...came, id: fileId, blob: stored.blob, fileId: `${fileId} stored` };
  const records: SubRecord[] = [];
  const draft: SubRecord = {
    ...base,
    ...measuresOf(UNREAD),
    id: fileId,
    name,
    frame: 0,
    timeMs: null,
    metadata: reading.metadata,
    video: null,
    measuredThrough: null,
    measuredSize: { width: reading.width, height: reading.height, channels: reading.channels },
  };
  const calibration = base.type === "light" ? target.calibrationFor(draft) : null;
  const through = calibration ? withCalibration(frame, calibration) : frame;
  if (reading.frames > 1) {
    const measured = await measureFrames(pool, through, reading.frames, { signal, onProgress });
    for (const [index, { reading: own, video }] of measured.entries()) {
      const timeMs = reading.times[index] ?? null;
      records.push({
        ...base,
        ...measuresOf(own),
        id: `${fileId} ${index}`,
        name: `${name} ${index + 1}`,
        frame: index,
        timeMs,
        metadata: atTime(reading.metadata, timeMs),
        video,
        measuredThrough: keyOf(draft, calibration),
      });
    }
  } else {
    const own = await pool.run(
      base.type === "light" ? "measureSub" : "measureLevels",
      { frame: through },
      { priority: PRIORITY.measure, signal },
    );
    records.push({ ...draft, ...measuresOf(own), measuredThrough: keyOf(draft, calibration) });
  }
  try {
    await target.storage.addSubs(records, stored);
  } catch (error) {
    if (isFull(error)) throw new StorageFull(name);
    throw storageFailure(error);
  }
  target.add(records);
}

/** A master that was made elsewhere, or here and written to a file: it is one, and is not averaged with frames. */
async function importMaster(
  target: ImportTarget,
  file: { name: string; kind: MasterRecord["kind"]; reading: FileReading; frame: FrameRef; stored: StoredFile },
  signal: AbortSignal,
): Promise<void> {
  const { name, kind, reading, frame, stored } = file;
  const unit = await target.pool.run("readUnit", { frame, look: false }, { priority: PRIORITY.measure, signal });
  const { width, height, channels } = reading;
  const record: MasterRecord = {
    version: RECORD_VERSION,
    id: stored.id,
    projectId: target.projectId,
    name: name.slice(0, 80),
    kind,
    createdAt: Date.now(),
    width,
    height,
    channels,
    unit: kind === "flat" ? null : unit,
    metadata: { ...reading.metadata, frameType: kind },
    frames: [],
    recipe: `brought in as a master from ${name}`,
    warnings: [],
  };
  try {
    await target.storage.addMaster(record, stored.blob);
  } catch (error) {
    if (isFull(error)) throw new StorageFull(name);
    throw storageFailure(error);
  }
  await target.addMaster(record);
}

/** Of a file before it is measured. */
const UNREAD: SubReading = {
  width: 0,
  height: 0,
  channels: 1,
  measures: NO_MEASURES,
  stars: [],
  stretch: { level: [0], sigma: [1], white: 1 },
  unit: {
    name: "ADU",
    storedPerUnit: 1,
    fullScale: 1,
    saturation: null,
    electronsPerAdu: null,
    from: { name: "", fullScale: "", saturation: "" },
  },
};

export function measuresOf({ width, height, channels, measures, stars, stretch, unit }: SubReading) {
  return { measures, stars, stretch, unit, measuredSize: { width, height, channels } };
}

function atTime(metadata: SubMetadata, timeMs: number | null): SubMetadata {
  return timeMs === null ? metadata : { ...metadata, date: new Date(timeMs).toISOString().slice(0, 23) };
}

/**
 * Throws StorageFull where the browser says that so many bytes do not fit any more. Room that deleted projects still take is freed first:
 * from then on they cannot be brought back, which `tell` hears.
 */
export async function checkRoom(
  name: string,
  bytes: number,
  storage: Pick<WriteRepository, "purgeDeleted">,
  tell: (words: string) => void,
): Promise<void> {
  const fits = async () => {
    const estimate = await storageUse();
    return !estimate || estimate.quota - estimate.used >= bytes + SPARE_BYTES;
  };
  if (await fits()) return;
  const purged = await storage.purgeDeleted();
  if (purged > 0)
    tell(`To make room ${purged === 1 ? "a deleted project was" : `${purged} deleted projects were`} removed for good`);
  if (!(await fits())) throw new StorageFull(name);
}

/** What the browser shows of its storage for this site; null where it does not. */
export async function storageUse(): Promise<{ used: number; quota: number } | null> {
  if (typeof navigator === "undefined" || !navigator.storage?.estimate) return null;
  const { usage, quota } = await navigator.storage.estimate();
  return usage === undefined || quota === undefined ? null : { used: usage, quota };
}

/** Asks the browser to keep what is stored until a person deletes it; its answer, null where it cannot be asked. */
export async function askToKeep(): Promise<boolean | null> {
  if (typeof navigator === "undefined" || !navigator.storage?.persist) return null;
  return (await navigator.storage.persisted()) || navigator.storage.persist();
}

/** The promise's value, or Stopped as soon as the signal aborts: a file that never comes does not hold a job up. */
function untilStopped<T>(promise: Promise<T>, signal: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    if (signal.aborted) return reject(new Stopped());
    const stop = () => reject(new Stopped());
    signal.addEventListener("abort", stop, { once: true });
    promise.then(resolve, reject).finally(() => signal.removeEventListener("abort", stop));
  });
}
