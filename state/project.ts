import { createStore } from "zustand/vanilla";
import { Stopped, UserError } from "@/core/job";
import type { StackSettings, SubFacts } from "@/core/stack";
import { chooseReference } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import { makeStack } from "@/engine/stackJob";
import type { Board, ProjectRecord, Repository, StackPicture, StackRecord, SubRecord } from "@/storage";
import { RECORD_VERSION, stackPictureId } from "@/storage";
import { firstBoard } from "./board";
import type { History } from "./history";
import { amend, record, redo, startHistory, undo } from "./history";
import type { Jobs } from "./jobs";
import type { Subject } from "./treatments";
import { ContextBook } from "./treatments";

/** A file that did not come in, and why. */
export interface RefusedFile {
  name: string;
  message: string;
  advice: string;
}

export interface ProjectState {
  project: ProjectRecord;
  subs: SubRecord[];
  refused: RefusedFile[];
  stacks: StackRecord[];
  board: History<Board> | null;
  /** What could not be read from storage or saved to it, in words. */
  problems: string[];
  currentSubId: string | null;
  currentStackId: string | null;
  /** Rises whenever contexts of chains became known, so that views look again. */
  contextRound: number;
}

/** One open project: its state, and everything that changes it. Changes are saved as they are made. */
export class ProjectSession {
  readonly store;
  readonly contexts: ContextBook;
  private readonly subjects = new Map<string, Promise<Subject>>();
  private readonly frames = new Map<string, Promise<FrameRef>>();
  private boardTimer: ReturnType<typeof setTimeout> | null = null;

  private constructor(
    state: ProjectState,
    readonly pool: WorkerPool,
    readonly jobs: Jobs,
    private readonly repository: Repository,
  ) {
    this.store = createStore<ProjectState>(() => state);
    this.contexts = new ContextBook(pool, (key, contexts) => {
      const projectId = this.project.id;
      this.save(repository.saveContext({ version: RECORD_VERSION, id: `${projectId}:${key}`, projectId, contexts }));
      this.store.setState(({ contextRound }) => ({ contextRound: contextRound + 1 }));
    });
  }

  static async open(
    projectId: string,
    pool: WorkerPool,
    jobs: Jobs,
    repository: Repository,
  ): Promise<ProjectSession | null> {
    const project = await repository.project(projectId);
    if (!project) return null;
    const [subs, stacks, board, contexts] = await Promise.all([
      repository.subs(projectId),
      repository.stacks(projectId),
      repository.board(projectId),
      repository.contexts(projectId),
    ]);
    const session = new ProjectSession(
      {
        project: { ...project, openedAt: Date.now() },
        subs: subs.found,
        refused: [],
        stacks: stacks.found,
        board: board.found && startHistory(board.found.board),
        problems: [...subs.problems, ...stacks.problems, ...board.problems],
        currentSubId: subs.found[0]?.id ?? null,
        currentStackId: stacks.found[stacks.found.length - 1]?.id ?? null,
        contextRound: 0,
      },
      pool,
      jobs,
      repository,
    );
    session.contexts.restore(
      contexts.map(({ id, contexts: made }) => ({ key: id.slice(projectId.length + 1), contexts: made })),
    );
    session.saveProject({});
    return session;
  }

  get project(): ProjectRecord {
    return this.store.getState().project;
  }

  saveProject(part: Partial<ProjectRecord>): void {
    const project = { ...this.project, ...part };
    this.store.setState({ project });
    this.save(this.repository.saveProject(project));
  }

  // — Subs —

  /** Reads, measures and stores files, one after the other; a file that cannot be used is listed and the rest goes on. */
  async importFiles(
    files: { name: string; load: (signal: AbortSignal) => Promise<Blob> }[],
    label = "Importing",
  ): Promise<void> {
    await this.jobs.run(label, async ({ signal, onProgress }) => {
      let next = files[0]?.load(signal);
      for (const [k, { name }] of files.entries()) {
        onProgress(k / files.length, `${label}: ${name} (${k + 1} of ${files.length})`);
        const loading = next;
        next = files[k + 1]?.load(signal);
        next?.catch(() => undefined);
        try {
          await this.importOne(name, await untilStopped(loading, signal), signal);
        } catch (error) {
          if (signal.aborted) throw error;
          const { message, advice } = failureOf(error);
          this.store.setState(({ refused }) => ({ refused: [...refused, { name, message, advice }] }));
        }
      }
    });
  }

  private async importOne(name: string, file: Blob, signal: AbortSignal): Promise<void> {
    const { subs } = this.store.getState();
    if (subs.some((sub) => sub.name === name && sub.bytes === file.size))
      throw new UserError(`${name}: is in the project already`, "Nothing to do; rename it if it is another frame.");
    const id = crypto.randomUUID();
    const frame: FrameRef = { id, name, kind: "blob", blob: file };
    const reading = await this.pool.run("measureSub", { frame }, { priority: PRIORITY.measure, signal });
    const sub: SubRecord = {
      version: RECORD_VERSION,
      id,
      projectId: this.project.id,
      name,
      order: Date.now() + subs.length / 1000,
      included: true,
      bytes: file.size,
      ...reading,
    };
    try {
      await this.repository.addSub(sub, file);
    } catch (error) {
      throw storageFailure(error);
    }
    this.store.setState((state) => ({ subs: [...state.subs, sub], currentSubId: state.currentSubId ?? id }));
  }

  dismissRefused(): void {
    this.store.setState({ refused: [] });
  }

  selectSub(id: string): void {
    this.store.setState({ currentSubId: id });
  }

  setIncluded(id: string, included: boolean): void {
    const subs = this.store.getState().subs.map((sub) => (sub.id === id ? { ...sub, included } : sub));
    this.store.setState({ subs });
    const changed = subs.find((sub) => sub.id === id);
    if (changed) this.save(this.repository.saveSub(changed));
  }

  /** The stored file of a sub, for workers. */
  frameOf(id: string, name: string): Promise<FrameRef> {
    const known = this.frames.get(id);
    if (known) return known;
    const opening = this.repository.blob(id).then((blob): FrameRef => {
      if (!blob)
        throw new UserError(`${name}: its file is missing from the browser's storage`, "Import the file again.");
      return { id, name, kind: "blob", blob };
    });
    this.frames.set(id, opening);
    opening.catch(() => this.frames.delete(id));
    return opening;
  }

  /** The sub that a stack would take as its reference. */
  proposedReference(): SubRecord | null {
    const included = this.store.getState().subs.filter((sub) => sub.included);
    const best = chooseReference(included.map(factsOf));
    return included.find((sub) => sub.id === best?.id) ?? null;
  }

  // — Stacks —

  async stack(name: string, settings: StackSettings): Promise<StackRecord | null> {
    return this.jobs.run(`Stacking “${name}”`, async (control) => {
      const included = this.store.getState().subs.filter((sub) => sub.included);
      const frames = new Map<string, FrameRef>();
      for (const sub of included) frames.set(sub.id, await this.frameOf(sub.id, sub.name));
      const object = included.find(({ metadata }) => metadata.object !== null)?.metadata.object ?? null;
      const made = await makeStack(this.pool, { subs: included.map(factsOf), frames, settings, object }, control);
      const stackRecord: StackRecord = {
        version: RECORD_VERSION,
        id: crypto.randomUUID(),
        projectId: this.project.id,
        name,
        createdAt: Date.now(),
        settings,
        report: made.report,
        facts: made.facts,
        object,
      };
      const { mean, a, b, coverage } = made;
      try {
        await this.repository.addStack(stackRecord, { mean, a, b, coverage });
      } catch (error) {
        throw storageFailure(error);
      }
      this.store.setState(({ stacks }) => ({ stacks: [...stacks, stackRecord], currentStackId: stackRecord.id }));
      if (!this.store.getState().board) this.setBoard(startHistory(firstBoard(stackRecord)));
      return stackRecord;
    });
  }

  selectStack(id: string): void {
    this.store.setState({ currentStackId: id });
  }

  renameStack(id: string, name: string): void {
    const stacks = this.store.getState().stacks.map((stack) => (stack.id === id ? { ...stack, name } : stack));
    this.store.setState({ stacks });
    const changed = stacks.find((stack) => stack.id === id);
    if (changed && name.length > 0) this.save(this.repository.saveStack(changed));
  }

  /** Deletes a stack unless a lane still uses it. */
  deleteStack(id: string): void {
    const { board, stacks } = this.store.getState();
    const lanes = board?.present.lanes.filter((lane) => lane.stackId === id) ?? [];
    if (lanes.length > 0)
      throw new UserError(
        `lanes ${lanes.map(({ letter }) => letter).join(", ")} use this stack`,
        "Remove these lanes first, or keep the stack.",
      );
    const left = stacks.filter((stack) => stack.id !== id);
    this.store.setState({ stacks: left, currentStackId: left[left.length - 1]?.id ?? null });
    this.save(this.repository.deleteStack(id));
  }

  stackFrame(stack: { id: string; name: string }, kind: StackPicture): Promise<FrameRef> {
    return this.frameOf(stackPictureId(stack.id, kind), `${stack.name} (${kind})`);
  }

  /** A stack as treatments need it. */
  subjectOf(stack: StackRecord): Promise<Subject> {
    const known = this.subjects.get(stack.id);
    if (known) return known;
    const opening = (async (): Promise<Subject> => {
      const [picture, a, b] = await Promise.all([
        this.stackFrame(stack, "mean"),
        this.stackFrame(stack, "a"),
        this.stackFrame(stack, "b"),
      ]);
      return { picture, halves: stack.report.subsUsed > 1 ? { a, b } : null, fill: stack.facts.fill };
    })();
    this.subjects.set(stack.id, opening);
    opening.catch(() => this.subjects.delete(stack.id));
    return opening;
  }

  // — The board —

  /** Changes the board as one step that can be undone; steps of the same `group` in quick succession become one. */
  changeBoard(change: (board: Board) => Board, group: string | null = null): void {
    const { board } = this.store.getState();
    if (board) this.setBoard(record(board, change(board.present), group, Date.now()));
  }

  /** Changes what is selected or looked at, which is no step of its own. */
  amendBoard(change: (board: Board) => Board): void {
    const { board } = this.store.getState();
    if (board) this.setBoard(amend(board, change(board.present)));
  }

  undo(): void {
    const { board } = this.store.getState();
    if (board) this.setBoard(undo(board));
  }

  redo(): void {
    const { board } = this.store.getState();
    if (board) this.setBoard(redo(board));
  }

  /** Makes a first board for a project whose stack has none (such as after the last lane was removed). */
  startBoard(): void {
    const { stacks } = this.store.getState();
    const newest = stacks[stacks.length - 1];
    if (newest) this.setBoard(startHistory(firstBoard(newest)));
  }

  private setBoard(board: History<Board>): void {
    this.store.setState({ board });
    if (this.boardTimer) clearTimeout(this.boardTimer);
    this.boardTimer = setTimeout(() => this.flushBoard(), 150);
  }

  /** Writes the board at once; called when the page goes away. */
  flushBoard(): void {
    if (this.boardTimer) clearTimeout(this.boardTimer);
    this.boardTimer = null;
    const { board, project } = this.store.getState();
    if (!board) return;
    this.save(
      this.repository.saveBoard({
        version: RECORD_VERSION,
        id: project.id,
        projectId: project.id,
        board: board.present,
      }),
    );
  }

  private save(saving: Promise<unknown>): void {
    saving.catch((error: unknown) => {
      const { message, advice } = failureOf(storageFailure(error));
      this.store.setState(({ problems }) => ({ problems: [...problems, `${message}. ${advice}`] }));
    });
  }
}

/** The promise's value, or Stopped as soon as the signal aborts: a file that never comes does not hold a job up. */
function untilStopped<T>(promise: Promise<T>, signal: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    if (signal.aborted) return reject(new Stopped());
    signal.addEventListener("abort", () => reject(new Stopped()), { once: true });
    promise.then(resolve, reject);
  });
}

/** What planning a stack needs of a stored sub. */
export function factsOf(sub: SubRecord): SubFacts {
  const { id, name, width, height, channels, metadata, measures, stars } = sub;
  return { id, name, width, height, channels, exposureS: metadata.exposureS, measures, stars };
}

/** A failed write in words: mostly that the browser's storage is full. */
function storageFailure(error: unknown): Error {
  if (error instanceof Error && error.name === "QuotaExceededError")
    return new UserError(
      "the browser's storage is full",
      "Delete projects that you no longer need, or free disk space, and try again.",
    );
  return error instanceof Error ? error : new Error(String(error));
}
