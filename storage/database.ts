import type { DBSchema, IDBPDatabase } from "idb";
import { openDB } from "idb";
import type { z } from "zod";
import { readRecord } from "./migrations";
import { UserError } from "@/core/job";
import type { Card } from "@/core/formats";
import type { StoredStrip, StripStore } from "@/engine/jobs/strips";
import { inMemory } from "@/engine/jobs/strips";
import { packRecords, unpackRecords } from "./columns";
import { checkFinite } from "./finite";
import type {
  BoardRecord,
  ChainRecord,
  FactRecord,
  MasterRecord,
  ProjectRecord,
  StackRecord,
  SubRecord,
  VideoRecord,
} from "./records";
import {
  boardRecord,
  chainRecord,
  factRecord,
  masterRecord,
  projectRecord,
  RECORD_VERSION,
  stackRecord,
  subRecord,
  videoRecord,
} from "./records";

interface Schema extends DBSchema {
  projects: { key: string; value: ProjectRecord };
  subs: { key: string; value: SubRecord; indexes: { project: string } };
  /** The frames of a video, all in one record. */
  videos: { key: string; value: VideoRecord; indexes: { project: string } };
  masters: { key: string; value: MasterRecord; indexes: { project: string } };
  stacks: { key: string; value: StackRecord; indexes: { project: string } };
  boards: { key: string; value: BoardRecord; indexes: { project: string } };
  facts: { key: string; value: FactRecord; indexes: { project: string } };
  /** Chains kept for any project. */
  chains: { key: string; value: ChainRecord };
  /** Finished strips of a stack that is being made or was interrupted. */
  strips: { key: string; value: StripRecord; indexes: { project: string } };
  /** Whole files by id, in the form that they came or unpacked once; workers read parts of them. */
  blobs: { key: string; value: StoredFile; indexes: { project: string } };
}

export interface StripRecord extends StoredStrip {
  id: string;
  projectId: string;
  stack: string;
}

export interface StoredFile {
  id: string;
  projectId: string;
  blob: Blob;
  /** The header of the file as it came, where `blob` is unpacked and holds less of it. */
  cards?: Card[];
}

/** A project was deleted, in another tab perhaps, while work on it went on. */
export class ProjectGone extends UserError {
  constructor(name: string) {
    super(`“${name}” was deleted meanwhile`, "Undo that on the shelf, or go on with another project.");
    this.name = "ProjectGone";
  }
}

const DATABASE = "dunkel";
const DATABASE_VERSION = 6;
const STORES = ["subs", "videos", "masters", "stacks", "boards", "facts", "strips", "blobs"] as const;

export interface StorageEvents {
  /** Another tab holds an older version open and blocks the upgrade. */
  onBlocked(): void;
  /** The browser closed the database; the page must be reloaded. */
  onLost(): void;
  /** Something that other tabs may look at was written. */
  onWritten?(): void;
}

/** How a problem with a damaged record ends. */
export const LEFT_AS_IT_IS = "(left as it is)";

/** What could not be read, in words; the records stay where they are. */
export type Problem = string;

/** The stored projects. Every read is checked; a record that cannot be used is reported and left untouched. */
export class Repository {
  private constructor(
    private readonly db: IDBPDatabase<Schema>,
    private readonly written: () => void,
  ) {}

  static async open(events: StorageEvents, name = DATABASE): Promise<Repository> {
    const db = await openDB<Schema>(name, DATABASE_VERSION, {
      upgrade(database) {
        // Stores that an older version made stay as they are; records are brought up to date when they are read.
        // Contexts of steps are whole-picture facts today, which are measured anew.
        const stores = database as unknown as IDBPDatabase;
        if (stores.objectStoreNames.contains("contexts")) stores.deleteObjectStore("contexts");
        const missing = (store: string) => !([...database.objectStoreNames] as string[]).includes(store);
        for (const store of ["projects", "chains"] as const)
          if (missing(store)) database.createObjectStore(store, { keyPath: "id" });
        for (const store of STORES)
          if (missing(store)) database.createObjectStore(store, { keyPath: "id" }).createIndex("project", "projectId");
      },
      blocked: () => events.onBlocked(),
      blocking: () => db.close(),
      terminated: () => events.onLost(),
    });
    return new Repository(db, () => events.onWritten?.());
  }

  close(): void {
    this.db.close();
  }

  async projects(): Promise<{ found: ProjectRecord[]; problems: Problem[] }> {
    return sift("projects", projectRecord, await this.db.getAll("projects"));
  }

  async project(id: string): Promise<ProjectRecord | null> {
    const raw = await this.db.get("projects", id);
    const read = raw === undefined ? null : readRecord("projects", projectRecord, raw);
    return read?.ok ? read.value : null;
  }

  async addProject(record: ProjectRecord): Promise<void> {
    await this.db.put("projects", record);
    this.written();
  }

  /** Saves a project that is there. Throws ProjectGone where it was deleted meanwhile: writing it would bring it back. */
  async saveProject(record: ProjectRecord): Promise<void> {
    const tx = this.db.transaction("projects", "readwrite");
    const stored = await tx.store.get(record.id);
    const isThere = stored !== undefined && stored.deletedAt === null;
    if (isThere) await tx.store.put(record);
    await tx.done;
    if (!isThere) throw new ProjectGone(record.name);
    this.written();
  }

  /** Marks a project as deleted now, or takes that back; nothing for one that is gone for good. */
  async markDeleted(projectId: string, isDeleted: boolean): Promise<void> {
    const tx = this.db.transaction("projects", "readwrite");
    const stored = await tx.store.get(projectId);
    if (stored) await tx.store.put({ ...stored, deletedAt: isDeleted ? Date.now() : null });
    await tx.done;
    this.written();
  }

  async subs(projectId: string): Promise<{ found: SubRecord[]; problems: Problem[] }> {
    const [alone, videos] = await Promise.all([
      this.db.getAllFromIndex("subs", "project", projectId),
      this.db.getAllFromIndex("videos", "project", projectId),
    ]);
    const packed = sift("videos", videoRecord, videos);
    // What was changed of single frames since lies beside their video, and counts.
    const changed = new Set(alone.map(({ id }) => id));
    const frames = packed.found.flatMap(({ frames: own }) =>
      (unpackRecords(own) as SubRecord[]).filter(({ id }) => !changed.has(id)),
    );
    const result = sift("subs", subRecord, [...alone, ...frames]);
    result.found.sort((a, b) => a.order - b.order);
    return { found: result.found, problems: [...packed.problems, ...result.problems] };
  }

  /** How many stacks a project has; those that wait to be deleted do not count. */
  async stackCount(projectId: string): Promise<number> {
    const stacks = await this.db.getAllFromIndex("stacks", "project", projectId);
    return stacks.filter(({ deletedAt }) => !deletedAt).length;
  }

  /** The frames of a file and the file, together or not at all. */
  async addSubs(records: SubRecord[], file: StoredFile): Promise<void> {
    for (const record of records) checkFinite(record, record.name);
    const tx = this.db.transaction(["subs", "videos", "blobs"], "readwrite");
    const putting =
      records.length > 1
        ? tx.objectStore("videos").put(videoOf(records))
        : Promise.all(records.map((record) => tx.objectStore("subs").put(record)));
    await Promise.all([putting, tx.objectStore("blobs").put(file), tx.done]);
    this.written();
  }

  /**
   * Saves changed subs. A few frames of a video are kept beside its record; where many of them changed, the record is written anew with all
   * of them, and nothing is left beside it.
   */
  async saveSubs(records: SubRecord[]): Promise<void> {
    for (const record of records) checkFinite(record, record.name);
    const tx = this.db.transaction(["subs", "videos"], "readwrite");
    const [subs, videos] = [tx.objectStore("subs"), tx.objectStore("videos")];
    const byFile = new Map<string, SubRecord[]>();
    for (const record of records) {
      const known = byFile.get(record.fileId);
      if (known) known.push(record);
      else byFile.set(record.fileId, [record]);
    }
    const alone: SubRecord[] = [];
    for (const [fileId, changed] of byFile) {
      const stored = changed.length >= REPACK_FROM ? await videos.get(fileId) : undefined;
      const video = stored && readRecord("videos", videoRecord, stored);
      if (!video?.ok) {
        alone.push(...changed);
        continue;
      }
      const now = new Map(changed.map((record) => [record.id, record]));
      const { frames } = video.value;
      // Where all changed, what was before does not matter.
      const before = changed.length === frames.count ? changed : (unpackRecords(frames) as SubRecord[]);
      const all: SubRecord[] = [];
      for (const frame of before) {
        all.push(now.get(frame.id) ?? (await subs.get(frame.id)) ?? frame);
        void subs.delete(frame.id);
      }
      await videos.put(videoOf(all));
    }
    await putAll((record) => subs.put(record), alone);
    await tx.done;
    this.written();
  }

  /** Removes subs, and files of which no sub is left. A video goes as a whole, once all its frames are named. */
  async removeSubs(records: readonly SubRecord[]): Promise<void> {
    const tx = this.db.transaction(["subs", "videos", "blobs"], "readwrite");
    const [subs, videos, blobs] = [tx.objectStore("subs"), tx.objectStore("videos"), tx.objectStore("blobs")];
    for (const { id, fileId } of records) {
      void subs.delete(id);
      void videos.delete(fileId);
      void blobs.delete(fileId);
    }
    await tx.done;
    this.written();
  }

  async masters(projectId: string): Promise<{ found: MasterRecord[]; problems: Problem[] }> {
    const { found, problems } = await sift(
      "masters",
      masterRecord,
      await this.db.getAllFromIndex("masters", "project", projectId),
    );
    return { found: found.sort((a, b) => a.createdAt - b.createdAt), problems };
  }

  /** A master and its picture, together or not at all. */
  async addMaster(record: MasterRecord, blob: Blob): Promise<void> {
    checkFinite(record, record.name);
    const tx = this.db.transaction(["masters", "blobs"], "readwrite");
    await Promise.all([
      tx.objectStore("masters").put(record),
      tx.objectStore("blobs").put({ id: record.id, projectId: record.projectId, blob }),
      tx.done,
    ]);
    this.written();
  }

  async deleteMaster(id: string): Promise<void> {
    const tx = this.db.transaction(["masters", "blobs"], "readwrite");
    await Promise.all([tx.objectStore("masters").delete(id), tx.objectStore("blobs").delete(id), tx.done]);
    this.written();
  }

  async stacks(projectId: string): Promise<{ found: StackRecord[]; problems: Problem[] }> {
    const result = sift("stacks", stackRecord, await this.db.getAllFromIndex("stacks", "project", projectId));
    result.found.sort((a, b) => a.createdAt - b.createdAt);
    return result;
  }

  /** A stack and its pictures, together or not at all. */
  async addStack(record: StackRecord, pictures: StackPictures): Promise<void> {
    checkFinite(record, record.name);
    const tx = this.db.transaction(["stacks", "blobs"], "readwrite");
    const blobs = tx.objectStore("blobs");
    await Promise.all([
      tx.objectStore("stacks").put(record),
      ...STACK_PICTURES.flatMap((kind) => {
        const blob = pictures[kind];
        return blob ? blobs.put({ id: stackPictureId(record.id, kind), projectId: record.projectId, blob }) : [];
      }),
      tx.done,
    ]);
    this.written();
  }

  async saveStack(record: StackRecord): Promise<void> {
    checkFinite(record, record.name);
    await this.db.put("stacks", record);
    this.written();
  }

  async deleteStack(id: string): Promise<void> {
    const tx = this.db.transaction(["stacks", "blobs"], "readwrite");
    await Promise.all([
      tx.objectStore("stacks").delete(id),
      ...STACK_PICTURES.map((kind) => tx.objectStore("blobs").delete(stackPictureId(id, kind))),
      tx.done,
    ]);
    this.written();
  }

  async blob(id: string): Promise<Blob | null> {
    return (await this.db.get("blobs", id))?.blob ?? null;
  }

  /** The header of a file as it came, where the stored file does not hold it. */
  async cards(id: string): Promise<Card[] | null> {
    return (await this.db.get("blobs", id))?.cards ?? null;
  }

  async board(projectId: string): Promise<{ found: BoardRecord | null; problems: Problem[] }> {
    const { found, problems } = sift(
      "boards",
      boardRecord,
      await this.db.getAllFromIndex("boards", "project", projectId),
    );
    return { found: found[0] ?? null, problems };
  }

  async saveBoard(record: BoardRecord): Promise<void> {
    checkFinite(record.board, "Compare");
    await this.db.put("boards", record);
    this.written();
  }

  /** The chains that were kept, the last one first. */
  async chains(): Promise<ChainRecord[]> {
    const { found } = sift("chains", chainRecord, await this.db.getAll("chains"));
    return found.sort((a, b) => b.keptAt - a.keptAt);
  }

  async keepChain(record: ChainRecord): Promise<void> {
    checkFinite(record.steps, record.name);
    await this.db.put("chains", record);
  }

  async dropChain(id: string): Promise<void> {
    await this.db.delete("chains", id);
  }

  async facts(projectId: string): Promise<FactRecord[]> {
    return sift("facts", factRecord, await this.db.getAllFromIndex("facts", "project", projectId)).found;
  }

  async saveFact(record: FactRecord): Promise<void> {
    checkFinite(record.value, "what was measured of the picture");
    await this.db.put("facts", record);
  }

  /** Where the strips of a project's stack wait until it is whole. One stack of a project is kept at a time. */
  strips(projectId: string): StripStore {
    const idOf = (stack: string, y: number) => `${projectId}:${stack}:${y}`;
    return {
      load: async (stack, y) => (await this.db.get("strips", idOf(stack, y))) ?? null,
      save: async (stack, y, strip) => {
        const whole = inMemory(strip);
        await this.db.put("strips", { ...whole, id: idOf(stack, y), projectId, stack });
        return (await this.db.get("strips", idOf(stack, y))) ?? whole;
      },
      isOnDisk: true,
      forget: async (except) => {
        const tx = this.db.transaction("strips", "readwrite");
        for (const key of await tx.store.index("project").getAllKeys(projectId))
          if (except === null || !key.startsWith(`${projectId}:${except}:`)) await tx.store.delete(key);
        await tx.done;
      },
    };
  }

  /** Removes what of a project cannot be read, with its files; what a newer version wrote stays. How many records there were. */
  async removeDamaged(projectId: string): Promise<number> {
    const tx = this.db.transaction(["subs", "videos", "masters", "stacks", "blobs"], "readwrite");
    const blobs = tx.objectStore("blobs");
    const damaged = async (store: "subs" | "videos" | "masters" | "stacks", schema: z.ZodType): Promise<number> => {
      let count = 0;
      for (const raw of await tx.objectStore(store).index("project").getAll(projectId)) {
        const read = readRecord(store, schema, raw);
        if (read.ok || read.reason.why === "newer") continue;
        const { id, fileId } = raw as { id: string; fileId?: unknown };
        await tx.objectStore(store).delete(id);
        const files = store === "stacks" ? STACK_PICTURES.map((kind) => stackPictureId(id, kind)) : [id];
        for (const file of typeof fileId === "string" ? [fileId] : files) await blobs.delete(file);
        count++;
      }
      return count;
    };
    let count = 0;
    for (const [store, schema] of [
      ["subs", subRecord],
      ["videos", videoRecord],
      ["masters", masterRecord],
      ["stacks", stackRecord],
    ] as const)
      count += await damaged(store, schema);
    await tx.done;
    this.written();
    return count;
  }

  /** Removes for good all projects that are marked as deleted, to make room; how many there were. */
  async purgeDeleted(): Promise<number> {
    const deleted = (await this.db.getAll("projects")).filter(({ deletedAt }) => deletedAt !== null);
    for (const { id } of deleted) await this.deleteProject(id);
    return deleted.length;
  }

  /** Removes a project and all that belongs to it. */
  async deleteProject(projectId: string): Promise<void> {
    const tx = this.db.transaction(["projects", ...STORES], "readwrite");
    await tx.objectStore("projects").delete(projectId);
    for (const store of STORES)
      for (const key of await tx.objectStore(store).index("project").getAllKeys(projectId))
        await tx.objectStore(store).delete(key);
    await tx.done;
    this.written();
  }
}

export const STACK_PICTURES = ["mean", "a", "b", "coverage", "rejected", "rejectedBySub"] as const;
export type StackPicture = (typeof STACK_PICTURES)[number];
/** A stack's own picture, and those that it has besides: one that was brought in may lack halves and coverage. */
export type StackPictures = { mean: Blob } & Partial<Record<StackPicture, Blob>>;

export function stackPictureId(stackId: string, kind: StackPicture): string {
  return `${stackId}.${kind}`;
}

/** Changed frames of a video from which on its record is written anew. */
const REPACK_FROM = 64;

function videoOf(frames: SubRecord[]): VideoRecord {
  const [{ fileId, projectId }] = frames;
  return { version: RECORD_VERSION, id: fileId, projectId, frames: packRecords(frames) };
}

function sift<T>(store: string, schema: z.ZodType<T>, raw: unknown[]): { found: T[]; problems: Problem[] } {
  const found: T[] = [];
  const problems: Problem[] = [];
  for (const item of raw) {
    const read = readRecord(store, schema, item);
    if (read.ok) found.push(read.value);
    else
      problems.push(
        `${read.reason.detail} ${read.reason.why === "newer" ? "(update this application)" : LEFT_AS_IT_IS}`,
      );
  }
  return { found, problems };
}

/** Records that are handed over at once: copying them holds the page up. */
const PUT_AT_ONCE = 200;

/** Puts records batch by batch, within one transaction, with room for the page between them. */
async function putAll<T>(put: (record: T) => Promise<unknown>, records: readonly T[]): Promise<void> {
  for (let from = 0; from < records.length; from += PUT_AT_ONCE)
    await Promise.all(records.slice(from, from + PUT_AT_ONCE).map(put));
}

/** The same storage for one who only looks: what it is told to write is not written. */
export function lookingOnly(repository: Repository): Repository {
  const nothing = () => Promise.resolve();
  const silent: Partial<Repository> = {
    ...{ addProject: nothing, saveProject: nothing, markDeleted: nothing },
    ...{ addSubs: nothing, saveSubs: nothing, removeSubs: nothing },
    ...{ addMaster: nothing, deleteMaster: nothing },
    ...{ addStack: nothing, saveStack: nothing, deleteStack: nothing },
    ...{ saveBoard: nothing, saveFact: nothing, deleteProject: nothing, keepChain: nothing, dropChain: nothing },
    removeDamaged: () => Promise.resolve(0),
    purgeDeleted: () => Promise.resolve(0),
  };
  return Object.assign(Object.create(repository) as Repository, silent);
}
