import { createStore } from "zustand/vanilla";
import { inWords } from "@/core/job";
import type { ReferenceProposal } from "@/core/choose";
import type { WorkerPool } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type {
  Board,
  MasterRecord,
  ProjectRecord,
  ReadRepository,
  StackPictures,
  StackRecord,
  SubRecord,
  WriteRepository,
} from "@/storage";
import type { History } from "./history";
import type { RefusedFile, WaitingFile } from "./importer";
import type { Jobs } from "./jobs";
import type { FoundPicture } from "./roles";
import { storageFailure } from "./storageFailure";

/** A finished stack with its pictures, which the browser's storage did not take. */
export interface UnsavedStack {
  record: StackRecord;
  pictures: StackPictures;
  reason: string;
}

export interface ProjectState {
  project: ProjectRecord;
  subs: SubRecord[];
  masters: MasterRecord[];
  refused: RefusedFile[];
  /** Files that are no frames of a camera but stacks and parts of them: to be brought in as such. */
  found: FoundPicture[];
  /** Files of an import that was stopped or met the quota: it can go on with them. */
  waiting: WaitingFile[];
  stacks: StackRecord[];
  board: History<Board> | null;
  /** What could not be read from storage or saved to it, in words. */
  problems: string[];
  currentSubId: string | null;
  /** Subs that are selected together; the current one is among them or it is empty. */
  selection: readonly string[];
  proposal: ReferenceProposal | null;
  /** Lights that are being compared with the reference: done, of how many; null when none are. */
  grading: { done: number; of: number } | null;
  currentStackId: string | null;
  /** A stack that was made and could not be stored: kept here until it can be, or was saved as files. */
  unsaved: UnsavedStack | null;
  /** Rises whenever whole-picture facts became known, so that views look again. */
  factRound: number;
}

/** What all books of an open project stand on: its state, which is saved as it changes, and the means to work with. */
export class ProjectStore {
  readonly state;

  constructor(
    state: ProjectState,
    readonly pool: WorkerPool,
    readonly jobs: Jobs,
    /** What is stored. */
    readonly stored: ReadRepository,
    /** Writes it. */
    readonly storage: WriteRepository,
  ) {
    this.state = createStore<ProjectState>(() => state);
  }

  get now(): ProjectState {
    return this.state.getState();
  }

  get project(): ProjectRecord {
    return this.now.project;
  }

  saveProject(part: Partial<ProjectRecord>): void {
    const project = { ...this.project, ...part };
    this.state.setState({ project });
    this.save(this.storage.saveProject(project));
  }

  /** Hears of writing that fails. */
  save(saving: Promise<unknown>): void {
    saving.catch((error: unknown) => this.report(storageFailure(error)));
  }

  report(error: unknown): void {
    const { message, advice } = failureOf(error);
    const words = inWords(message, advice);
    // What goes on failing is said once.
    this.state.setState(({ problems }) => (problems.includes(words) ? {} : { problems: [...problems, words] }));
  }
}
