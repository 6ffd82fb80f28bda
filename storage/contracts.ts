import type { Card } from "@/core/formats";
import type { Refusal, Result } from "@/core/result";
import type { StripStore } from "@/engine/jobs/strips";
import { NO_STRIPS } from "@/engine/jobs/strips";
import type {
  BoardRecord,
  ChainRecord,
  FactRecord,
  MasterRecord,
  ProjectRecord,
  StackRecord,
  SubRecord,
} from "./records";
import type { StackPictures, StoredFile } from "./schema";

/** What could not be read, in words; the records stay where they are. */
export type Problem = string;

/** Records that could be read, and what could not. */
export interface Found<T> {
  found: T;
  problems: Problem[];
}

/** Reading: nothing in it changes what is stored. */
export interface ReadRepository {
  projects(): Promise<Found<ProjectRecord[]>>;
  project(id: string): Promise<Result<ProjectRecord, Refusal<"missing" | "newer" | "damaged">>>;
  /** In their order. */
  subs(projectId: string): Promise<Found<SubRecord[]>>;
  masters(projectId: string): Promise<Found<MasterRecord[]>>;
  stacks(projectId: string): Promise<Found<StackRecord[]>>;
  /** How many stacks a project has; those that wait to be deleted do not count. */
  stackCount(projectId: string): Promise<number>;
  board(projectId: string): Promise<Found<BoardRecord | null>>;
  facts(projectId: string): Promise<Found<FactRecord[]>>;
  /** The chains that were kept, the last one first. */
  chains(): Promise<Found<ChainRecord[]>>;
  blob(id: string): Promise<Blob | null>;
  /** The header of a file as it came, where the stored file does not hold it. */
  cards(id: string): Promise<Card[] | null>;
}

/**
 * Writing. What is added belongs to a project that is there: else ProjectGone. What is saved changes what is there: a record
 * that was removed meanwhile is not brought back.
 */
export interface WriteRepository {
  addProject(record: ProjectRecord): Promise<void>;
  saveProject(record: ProjectRecord): Promise<void>;
  /**
   * Marks a project as deleted now, or takes that back; nothing for one that is gone for good. Deleting always works:
   * where storage is too full even for the mark, the project is removed for good.
   */
  markDeleted(projectId: string, isDeleted: boolean): Promise<"marked" | "removed">;
  /** Removes a project and all that belongs to it. */
  deleteProject(projectId: string): Promise<void>;
  /** Removes for good all projects that are marked as deleted, to make room; how many there were. */
  purgeDeleted(): Promise<number>;
  /** The frames of a file and the file, together or not at all. */
  addSubs(records: SubRecord[], file: StoredFile): Promise<void>;
  saveSubs(records: SubRecord[]): Promise<void>;
  /** Removes subs, and files of which no sub is left. */
  removeSubs(records: readonly SubRecord[]): Promise<void>;
  /** A master and its picture, together or not at all. */
  addMaster(record: MasterRecord, blob: Blob): Promise<void>;
  deleteMaster(id: string): Promise<void>;
  /** A stack and its pictures, together or not at all. */
  addStack(record: StackRecord, pictures: StackPictures): Promise<void>;
  saveStack(record: StackRecord): Promise<void>;
  deleteStack(id: string): Promise<void>;
  saveBoard(record: BoardRecord): Promise<void>;
  saveFact(record: FactRecord): Promise<void>;
  removeFacts(ids: readonly string[]): Promise<void>;
  keepChain(record: ChainRecord): Promise<void>;
  dropChain(id: string): Promise<void>;
  /** Where the strips of a project's stack wait until it is whole. One stack of a project is kept at a time. */
  strips(projectId: string): StripStore;
  /** Removes what of a project cannot be read, with its files; what a newer version wrote stays. How many records there were. */
  removeDamaged(projectId: string): Promise<number>;
}

const nothing = () => Promise.resolve();
const none = () => Promise.resolve(0);

/** For one who only looks: what it is asked to write is not written. */
export const NOTHING_WRITTEN: WriteRepository = {
  addProject: nothing,
  saveProject: nothing,
  markDeleted: () => Promise.resolve("marked"),
  deleteProject: nothing,
  purgeDeleted: none,
  addSubs: nothing,
  saveSubs: nothing,
  removeSubs: nothing,
  addMaster: nothing,
  deleteMaster: nothing,
  addStack: nothing,
  saveStack: nothing,
  deleteStack: nothing,
  saveBoard: nothing,
  saveFact: nothing,
  removeFacts: nothing,
  keepChain: nothing,
  dropChain: nothing,
  strips: () => NO_STRIPS,
  removeDamaged: none,
};
