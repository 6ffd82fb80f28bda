import type { DBSchema, IDBPDatabase } from "idb";
import { openDB } from "idb";
import type { Card } from "@/core/formats";
import type { StoredStrip } from "@/engine/jobs/strips";
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

export interface Schema extends DBSchema {
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

const DATABASE = "dunkel";
const DATABASE_VERSION = 6;
/** What belongs to a project. */
export const STORES = ["subs", "videos", "masters", "stacks", "boards", "facts", "strips", "blobs"] as const;

export interface StorageEvents {
  /** Another tab holds an older version open and blocks the upgrade. */
  onBlocked(): void;
  /** The browser closed the database; the page must be reloaded. */
  onLost(): void;
  /** Something that other tabs may look at was written. */
  onWritten?(): void;
}

export const STACK_PICTURES = ["mean", "a", "b", "coverage", "rejected", "rejectedBySub"] as const;
export type StackPicture = (typeof STACK_PICTURES)[number];
/** A stack's own picture, and those that it has besides: one that was brought in may lack halves and coverage. */
export type StackPictures = { mean: Blob } & Partial<Record<StackPicture, Blob>>;

export function stackPictureId(stackId: string, kind: StackPicture): string {
  return `${stackId}.${kind}`;
}

/** Opens the database; stores that an older version made stay as they are, records are brought up to date when they are read. */
export async function openDatabase(events: StorageEvents, name = DATABASE): Promise<IDBPDatabase<Schema>> {
  const db = await openDB<Schema>(name, DATABASE_VERSION, {
    upgrade(database) {
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
  return db;
}
