import { migratedStep } from "@/core/chain";
import { UserError } from "@/core/job";
import { toSample } from "@/core/formats";
import type { StackSettings } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import type { Board, CalibrationPlan, Repository, StackPicture, StackRecord } from "@/storage";
import { RECORD_VERSION, stackPictureId } from "@/storage";
import { firstBoard } from "./board";
import type { History } from "./history";
import { amend, record, redo, startHistory, undo } from "./history";
import type { Jobs } from "./jobs";
import { lightsOf } from "./lights";
import { makeProjectStack } from "./stacks";
import type { Subject } from "./facts";
import { FactBook } from "./facts";

import type { ProjectState } from "./subsSession";
import { SubsSession } from "./subsSession";
export type { ProjectState } from "./subsSession";

const fullScaleOf = ({ facts: { unit } }: StackRecord) => ({ fullScale: toSample(unit, unit.fullScale) });

/** Steps of older versions of their operations as today's. */
const withCurrentSteps = (board: Board): Board => ({
  ...board,
  lanes: board.lanes.map((lane) => ({
    ...lane,
    steps: lane.steps.map((step) => ({ ...migratedStep(step), id: step.id })),
  })),
});

/** One open project: its state, and everything that changes it. Changes are saved as they are made. */
export class ProjectSession extends SubsSession {
  readonly facts: FactBook;
  private readonly subjects = new Map<string, Promise<Subject>>();
  private boardTimer: ReturnType<typeof setTimeout> | null = null;

  private constructor(state: ProjectState, pool: WorkerPool, jobs: Jobs, repository: Repository) {
    super(state, pool, jobs, repository);
    this.facts = new FactBook(pool, (key, value) => {
      const projectId = this.project.id;
      this.save(repository.saveFact({ version: RECORD_VERSION, id: `${projectId}:${key}`, projectId, value }));
      this.store.setState(({ factRound }) => ({ factRound: factRound + 1 }));
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
    const [subs, masters, stacks, board, facts] = await Promise.all([
      repository.subs(projectId),
      repository.masters(projectId),
      repository.stacks(projectId),
      repository.board(projectId),
      repository.facts(projectId),
    ]);
    const session = new ProjectSession(
      {
        project: { ...project, openedAt: Date.now() },
        subs: subs.found,
        masters: [],
        refused: [],
        waiting: [],
        stacks: stacks.found,
        board: board.found && startHistory(withCurrentSteps(board.found.board)),
        problems: [...subs.problems, ...masters.problems, ...stacks.problems, ...board.problems],
        currentSubId: (lightsOf(subs.found)[0] ?? subs.found[0])?.id ?? null,
        selection: [],
        proposal: null,
        grading: null,
        currentStackId: stacks.found[stacks.found.length - 1]?.id ?? null,
        factRound: 0,
      },
      pool,
      jobs,
      repository,
    );
    session.facts.restore(facts.map(({ id, value }) => ({ key: id.slice(projectId.length + 1), value })));
    await session.openMasters(masters.found);
    session.saveProject({});
    session.noteIntegration();
    session.grading.schedule();
    return session;
  }

  // — Stacks —

  /** Makes a stack of the included lights (of the given ones, where only some shall go in), calibrated by `plan`. */
  async stack(
    name: string,
    settings: StackSettings,
    options: { only?: ReadonlySet<string>; plan?: CalibrationPlan } = {},
  ): Promise<StackRecord | null> {
    return this.jobs.run("stack", `Stacking “${name}”`, async (control) => {
      const included = this.includedLights().filter(({ id }) => options.only?.has(id) ?? true);
      const stackRecord = await makeProjectStack(
        this,
        this.repository,
        { name, settings, included, plan: options.plan ?? this.project.calibration },
        control,
      );
      this.store.setState(({ stacks }) => ({ stacks: [...stacks, stackRecord], currentStackId: stackRecord.id }));
      if (!this.store.getState().board) this.setBoard(startHistory(firstBoard(stackRecord)));
      return stackRecord;
    });
  }

  firstStack(): StackRecord | null {
    return this.store.getState().stacks[0] ?? null;
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
    return this.blobRef(stackPictureId(stack.id, kind), `${stack.name} (${kind})`);
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
      return {
        picture,
        halves: stack.report.subsUsed > 1 ? { a, b } : null,
        fill: stack.facts.fill,
        ...fullScaleOf(stack),
      };
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
}
