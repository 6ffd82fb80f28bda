import type { IDBPDatabase } from "idb";
import type * as z from "zod";
import { UserError } from "@/core/job";
import type { Card } from "@/core/formats";
import type { Refusal, Result } from "@/core/result";
import { refused } from "@/core/result";
import type { StripStore } from "@/engine/jobs/strips";
import { isKnown, putAll, sift } from "./access";
import { packRecords, unpackRecords } from "./columns";
import type { Found, ReadRepository, WriteRepository } from "./contracts";
import { checkFinite } from "./finite";
import { isFull } from "./full";
import { readRecord } from "./migrations";
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
  inOrder,
  masterRecord,
  projectRecord,
  RECORD_VERSION,
  stackRecord,
  subRecord,
  videoRecord,
} from "./records";
import type { Schema, StackPictures, StorageEvents, StoredFile } from "./schema";
import { openDatabase, STACK_PICTURES, stackPictureId, STORES } from "./schema";
import { stripStore } from "./stripStore";

/** A project was deleted, in another tab perhaps, while work on it went on. */
export class ProjectGone extends UserError {
  constructor(name?: string) {
    super(
      `${name === undefined ? "the project" : `“${name}”`} was deleted meanwhile`,
      "Undo that on the shelf, or go on with another project.",
    );
    this.name = "ProjectGone";
  }
}

/** The stored projects in IndexedDB (contracts.ts). Every read is checked; a record that cannot be used is reported and left untouched. */
export class Repository implements ReadRepository, WriteRepository {
  private constructor(
    private readonly db: IDBPDatabase<Schema>,
    private readonly written: () => void,
  ) {}

  static async open(events: StorageEvents, name?: string): Promise<Repository> {
    return new Repository(await openDatabase(events, name), () => events.onWritten?.());
  }

  close(): void {
    this.db.close();
  }

  async projects(): Promise<Found<ProjectRecord[]>> {
    return sift("projects", projectRecord, await this.db.getAll("projects"));
  }

  async project(id: string): Promise<Result<ProjectRecord, Refusal<"missing" | "newer" | "damaged">>> {
    const raw = await this.db.get("projects", id);
    return raw === undefined ? refused("missing", `no project ${id}`) : readRecord("projects", projectRecord, raw);
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

  async markDeleted(projectId: string, isDeleted: boolean): Promise<"marked" | "removed"> {
    const mark = () => this.mark(projectId, isDeleted);
    try {
      await mark();
    } catch (error) {
      if (!isDeleted || !isFull(error)) throw error;
      // No room even for the mark: older deleted projects give theirs; else this one is removed for good.
      if (
        (await this.purgeDeleted()) === 0 ||
        !(await mark().then(
          () => true,
          () => false,
        ))
      ) {
        await this.deleteProject(projectId);
        return "removed";
      }
    }
    return "marked";
  }

  private async mark(projectId: string, isDeleted: boolean): Promise<void> {
    const tx = this.db.transaction("projects", "readwrite");
    const stored = await tx.store.get(projectId);
    if (stored) await tx.store.put({ ...stored, deletedAt: isDeleted ? Date.now() : null });
    await tx.done;
    this.written();
  }

  async subs(projectId: string): Promise<Found<SubRecord[]>> {
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
    result.found.sort(inOrder);
    return { found: result.found, problems: [...packed.problems, ...result.problems] };
  }

  async stackCount(projectId: string): Promise<number> {
    const stacks = await this.db.getAllFromIndex("stacks", "project", projectId);
    return stacks.filter(({ deletedAt }) => !deletedAt).length;
  }

  async addSubs(records: SubRecord[], file: StoredFile): Promise<void> {
    for (const record of records) checkFinite(record, record.name);
    const tx = this.db.transaction(["projects", "subs", "videos", "blobs"], "readwrite");
    const isThere = await isKnown(tx.objectStore("projects"), file.projectId);
    if (isThere)
      await Promise.all([
        records.length > 1
          ? tx.objectStore("videos").put(videoOf(records))
          : Promise.all(records.map((record) => tx.objectStore("subs").put(record))),
        tx.objectStore("blobs").put(file),
      ]);
    await tx.done;
    if (!isThere) throw new ProjectGone();
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
        await subs.delete(frame.id);
      }
      await videos.put(videoOf(all));
    }
    const isThere = async ({ id, fileId }: SubRecord) => (await isKnown(subs, id)) || (await isKnown(videos, fileId));
    await putAll(async (record) => (await isThere(record)) && subs.put(record), alone);
    await tx.done;
    this.written();
  }

  async removeSubs(records: readonly SubRecord[]): Promise<void> {
    const tx = this.db.transaction(["subs", "videos", "blobs"], "readwrite");
    const [subs, videos, blobs] = [tx.objectStore("subs"), tx.objectStore("videos"), tx.objectStore("blobs")];
    const gone = new Set(records.map(({ id }) => id));
    for (const fileId of new Set(records.map((record) => record.fileId))) {
      const stored = await videos.get(fileId);
      const video = stored && readRecord("videos", videoRecord, stored);
      const frames = video?.ok ? (unpackRecords(video.value.frames) as SubRecord[]) : [];
      const left = frames.filter(({ id }) => !gone.has(id));
      // What cannot be read is not known to be all of it.
      if (video && !video.ok) continue;
      if (left.length > 0) await videos.put(videoOf(left));
      else await Promise.all([videos.delete(fileId), blobs.delete(fileId)]);
    }
    await Promise.all([...gone].map((id) => subs.delete(id)));
    await tx.done;
    this.written();
  }

  async masters(projectId: string): Promise<Found<MasterRecord[]>> {
    const { found, problems } = await sift(
      "masters",
      masterRecord,
      await this.db.getAllFromIndex("masters", "project", projectId),
    );
    return { found: found.sort((a, b) => a.createdAt - b.createdAt), problems };
  }

  async addMaster(record: MasterRecord, blob: Blob): Promise<void> {
    checkFinite(record, record.name);
    const tx = this.db.transaction(["projects", "masters", "blobs"], "readwrite");
    const isThere = await isKnown(tx.objectStore("projects"), record.projectId);
    if (isThere)
      await Promise.all([
        tx.objectStore("masters").put(record),
        tx.objectStore("blobs").put({ id: record.id, projectId: record.projectId, blob }),
      ]);
    await tx.done;
    if (!isThere) throw new ProjectGone();
    this.written();
  }

  async deleteMaster(id: string): Promise<void> {
    const tx = this.db.transaction(["masters", "blobs"], "readwrite");
    await Promise.all([tx.objectStore("masters").delete(id), tx.objectStore("blobs").delete(id), tx.done]);
    this.written();
  }

  async stacks(projectId: string): Promise<Found<StackRecord[]>> {
    const result = sift("stacks", stackRecord, await this.db.getAllFromIndex("stacks", "project", projectId));
    result.found.sort((a, b) => a.createdAt - b.createdAt);
    return result;
  }

  async addStack(record: StackRecord, pictures: StackPictures): Promise<void> {
    checkFinite(record, record.name);
    const tx = this.db.transaction(["projects", "stacks", "blobs"], "readwrite");
    const blobs = tx.objectStore("blobs");
    const isThere = await isKnown(tx.objectStore("projects"), record.projectId);
    if (isThere)
      await Promise.all([
        tx.objectStore("stacks").put(record),
        ...STACK_PICTURES.flatMap((kind) => {
          const blob = pictures[kind];
          return blob ? blobs.put({ id: stackPictureId(record.id, kind), projectId: record.projectId, blob }) : [];
        }),
      ]);
    await tx.done;
    if (!isThere) throw new ProjectGone();
    this.written();
  }

  async saveStack(record: StackRecord): Promise<void> {
    checkFinite(record, record.name);
    const tx = this.db.transaction("stacks", "readwrite");
    if (await isKnown(tx.store, record.id)) await tx.store.put(record);
    await tx.done;
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

  async cards(id: string): Promise<Card[] | null> {
    return (await this.db.get("blobs", id))?.cards ?? null;
  }

  async board(projectId: string): Promise<Found<BoardRecord | null>> {
    const { found, problems } = sift(
      "boards",
      boardRecord,
      await this.db.getAllFromIndex("boards", "project", projectId),
    );
    return { found: found[0] ?? null, problems };
  }

  async saveBoard(record: BoardRecord): Promise<void> {
    checkFinite(record.board, "Compare");
    const tx = this.db.transaction(["projects", "boards"], "readwrite");
    if (await isKnown(tx.objectStore("projects"), record.projectId)) await tx.objectStore("boards").put(record);
    await tx.done;
    this.written();
  }

  async chains(): Promise<Found<ChainRecord[]>> {
    const { found, problems } = sift("chains", chainRecord, await this.db.getAll("chains"));
    return { found: found.sort((a, b) => b.keptAt - a.keptAt), problems };
  }

  async keepChain(record: ChainRecord): Promise<void> {
    checkFinite(record.steps, record.name);
    await this.db.put("chains", record);
  }

  async dropChain(id: string): Promise<void> {
    await this.db.delete("chains", id);
  }

  async facts(projectId: string): Promise<Found<FactRecord[]>> {
    return sift("facts", factRecord, await this.db.getAllFromIndex("facts", "project", projectId));
  }

  async saveFact(record: FactRecord): Promise<void> {
    checkFinite(record.value, "what was measured of the picture");
    const tx = this.db.transaction(["projects", "facts"], "readwrite");
    if (await isKnown(tx.objectStore("projects"), record.projectId)) await tx.objectStore("facts").put(record);
    await tx.done;
  }

  async removeFacts(ids: readonly string[]): Promise<void> {
    const tx = this.db.transaction("facts", "readwrite");
    await Promise.all([...ids.map((id) => tx.store.delete(id)), tx.done]);
  }

  strips(projectId: string): StripStore {
    return stripStore(this.db, projectId);
  }

  async removeDamaged(projectId: string): Promise<number> {
    const tx = this.db.transaction(["subs", "videos", "masters", "stacks", "facts", "blobs"], "readwrite");
    const blobs = tx.objectStore("blobs");
    const damaged = async (
      store: "subs" | "videos" | "masters" | "stacks" | "facts",
      schema: z.ZodType,
    ): Promise<number> => {
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
      ["facts", factRecord],
    ] as const)
      count += await damaged(store, schema);
    await tx.done;
    this.written();
    return count;
  }

  async purgeDeleted(): Promise<number> {
    const deleted = (await this.db.getAll("projects")).filter(({ deletedAt }) => deletedAt !== null);
    for (const { id } of deleted) await this.deleteProject(id);
    return deleted.length;
  }

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

/** Changed frames of a video from which on its record is written anew. */
const REPACK_FROM = 64;

function videoOf(frames: SubRecord[]): VideoRecord {
  const [{ fileId, projectId }] = frames;
  return { version: RECORD_VERSION, id: fileId, projectId, frames: packRecords(frames) };
}
