import type { DBSchema, IDBPDatabase } from "idb";
import { openDB } from "idb";
import type { z } from "zod";
import { readRecord } from "./migrations";
import type { Card } from "@/core/formats";
import type { StoredStrip, StripStore } from "@/engine/jobs/strips";
import type { BoardRecord, FactRecord, MasterRecord, ProjectRecord, StackRecord, SubRecord } from "./records";
import { boardRecord, factRecord, masterRecord, projectRecord, stackRecord, subRecord } from "./records";

interface Schema extends DBSchema {
  projects: { key: string; value: ProjectRecord };
  subs: { key: string; value: SubRecord; indexes: { project: string } };
  masters: { key: string; value: MasterRecord; indexes: { project: string } };
  stacks: { key: string; value: StackRecord; indexes: { project: string } };
  boards: { key: string; value: BoardRecord; indexes: { project: string } };
  facts: { key: string; value: FactRecord; indexes: { project: string } };
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

const DATABASE = "dunkel";
const DATABASE_VERSION = 4;
const STORES = ["subs", "masters", "stacks", "boards", "facts", "strips", "blobs"] as const;

export interface StorageEvents {
  /** Another tab holds an older version open and blocks the upgrade. */
  onBlocked(): void;
  /** The browser closed the database; the page must be reloaded. */
  onLost(): void;
}

/** What could not be read, in words; the records stay where they are. */
export type Problem = string;

/** The stored projects. Every read is checked; a record that cannot be used is reported and left untouched. */
export class Repository {
  private constructor(private readonly db: IDBPDatabase<Schema>) {}

  static async open(events: StorageEvents, name = DATABASE): Promise<Repository> {
    const db = await openDB<Schema>(name, DATABASE_VERSION, {
      upgrade(database) {
        // Stores that an older version made stay as they are; records are brought up to date when they are read.
        // Contexts of steps are whole-picture facts today, which are measured anew.
        const stores = database as unknown as IDBPDatabase;
        if (stores.objectStoreNames.contains("contexts")) stores.deleteObjectStore("contexts");
        const missing = (store: string) => !([...database.objectStoreNames] as string[]).includes(store);
        if (missing("projects")) database.createObjectStore("projects", { keyPath: "id" });
        for (const store of STORES)
          if (missing(store)) database.createObjectStore(store, { keyPath: "id" }).createIndex("project", "projectId");
      },
      blocked: () => events.onBlocked(),
      blocking: () => db.close(),
      terminated: () => events.onLost(),
    });
    return new Repository(db);
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

  async saveProject(record: ProjectRecord): Promise<void> {
    await this.db.put("projects", record);
  }

  async subs(projectId: string): Promise<{ found: SubRecord[]; problems: Problem[] }> {
    const result = sift("subs", subRecord, await this.db.getAllFromIndex("subs", "project", projectId));
    result.found.sort((a, b) => a.order - b.order);
    return result;
  }

  /** How many records a project has, without loading them. */
  async counts(projectId: string): Promise<{ subs: number; stacks: number }> {
    const [subs, stacks] = await Promise.all([
      this.db.countFromIndex("subs", "project", projectId),
      this.db.countFromIndex("stacks", "project", projectId),
    ]);
    return { subs, stacks };
  }

  /** The frames of a file and the file, together or not at all. */
  async addSubs(records: SubRecord[], file: StoredFile): Promise<void> {
    const tx = this.db.transaction(["subs", "blobs"], "readwrite");
    await Promise.all([
      putAll((record) => tx.objectStore("subs").put(record), records),
      tx.objectStore("blobs").put(file),
      tx.done,
    ]);
  }

  async saveSubs(records: SubRecord[]): Promise<void> {
    const tx = this.db.transaction("subs", "readwrite");
    await Promise.all([putAll((record) => tx.store.put(record), records), tx.done]);
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
    const tx = this.db.transaction(["masters", "blobs"], "readwrite");
    await Promise.all([
      tx.objectStore("masters").put(record),
      tx.objectStore("blobs").put({ id: record.id, projectId: record.projectId, blob }),
      tx.done,
    ]);
  }

  async deleteMaster(id: string): Promise<void> {
    const tx = this.db.transaction(["masters", "blobs"], "readwrite");
    await Promise.all([tx.objectStore("masters").delete(id), tx.objectStore("blobs").delete(id), tx.done]);
  }

  async stacks(projectId: string): Promise<{ found: StackRecord[]; problems: Problem[] }> {
    const result = sift("stacks", stackRecord, await this.db.getAllFromIndex("stacks", "project", projectId));
    result.found.sort((a, b) => a.createdAt - b.createdAt);
    return result;
  }

  /** A stack and its pictures, together or not at all. */
  async addStack(record: StackRecord, pictures: Record<StackPicture, Blob>): Promise<void> {
    const tx = this.db.transaction(["stacks", "blobs"], "readwrite");
    const blobs = tx.objectStore("blobs");
    await Promise.all([
      tx.objectStore("stacks").put(record),
      ...STACK_PICTURES.map((kind) =>
        blobs.put({ id: stackPictureId(record.id, kind), projectId: record.projectId, blob: pictures[kind] }),
      ),
      tx.done,
    ]);
  }

  async saveStack(record: StackRecord): Promise<void> {
    await this.db.put("stacks", record);
  }

  async deleteStack(id: string): Promise<void> {
    const tx = this.db.transaction(["stacks", "blobs"], "readwrite");
    await Promise.all([
      tx.objectStore("stacks").delete(id),
      ...STACK_PICTURES.map((kind) => tx.objectStore("blobs").delete(stackPictureId(id, kind))),
      tx.done,
    ]);
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
    await this.db.put("boards", record);
  }

  async facts(projectId: string): Promise<FactRecord[]> {
    return sift("facts", factRecord, await this.db.getAllFromIndex("facts", "project", projectId)).found;
  }

  async saveFact(record: FactRecord): Promise<void> {
    await this.db.put("facts", record);
  }

  /** Where the strips of a project's stack wait until it is whole. One stack of a project is kept at a time. */
  strips(projectId: string): StripStore {
    const idOf = (stack: string, y: number) => `${projectId}:${stack}:${y}`;
    return {
      load: async (stack, y) => (await this.db.get("strips", idOf(stack, y))) ?? null,
      save: async (stack, y, strip) => {
        await this.db.put("strips", { ...strip, id: idOf(stack, y), projectId, stack });
      },
      forget: async (except) => {
        const tx = this.db.transaction("strips", "readwrite");
        for (const key of await tx.store.index("project").getAllKeys(projectId))
          if (except === null || !key.startsWith(`${projectId}:${except}:`)) await tx.store.delete(key);
        await tx.done;
      },
    };
  }

  /** Removes a project and all that belongs to it. */
  async deleteProject(projectId: string): Promise<void> {
    const tx = this.db.transaction(["projects", ...STORES], "readwrite");
    await tx.objectStore("projects").delete(projectId);
    for (const store of STORES)
      for (const key of await tx.objectStore(store).index("project").getAllKeys(projectId))
        await tx.objectStore(store).delete(key);
    await tx.done;
  }
}

export const STACK_PICTURES = ["mean", "a", "b", "coverage"] as const;
export type StackPicture = (typeof STACK_PICTURES)[number];

export function stackPictureId(stackId: string, kind: StackPicture): string {
  return `${stackId}.${kind}`;
}

function sift<T>(store: string, schema: z.ZodType<T>, raw: unknown[]): { found: T[]; problems: Problem[] } {
  const found: T[] = [];
  const problems: Problem[] = [];
  for (const item of raw) {
    const read = readRecord(store, schema, item);
    if (read.ok) found.push(read.value);
    else
      problems.push(
        `${read.reason.detail} (${read.reason.why === "newer" ? "update this application" : "left as it is"})`,
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
