import type { WorkerPool } from "@/engine/pool";
import type { ProjectRecord, Repository } from "@/storage";
import { LEFT_AS_IT_IS, RECORD_VERSION } from "@/storage";
import { BoardBook, withCurrentSteps } from "./boardBook";
import { CalibrationBook } from "./calibrationBook";
import { CropBook } from "./crops";
import { FactBook } from "./facts";
import { Files } from "./files";
import { startHistory } from "./history";
import type { Jobs } from "./jobs";
import { lightsOf } from "./lights";
import type { ProjectState } from "./projectStore";
import { ProjectStore } from "./projectStore";
import { StackBook } from "./stackBook";
import { SubsBook } from "./subs";

export type { ProjectState } from "./projectStore";

/** One open project: books over one store. */
export class ProjectSession {
  readonly store;
  readonly files: Files;
  readonly calibration: CalibrationBook;
  readonly subs: SubsBook;
  readonly stacks: StackBook;
  readonly board: BoardBook;
  readonly facts: FactBook;
  readonly crops: CropBook;

  private constructor(private readonly base: ProjectStore) {
    this.store = base.state;
    this.files = new Files(base);
    this.calibration = new CalibrationBook(base, this.files);
    this.subs = new SubsBook(base, this.files, this.calibration);
    this.board = new BoardBook(base);
    this.stacks = new StackBook(base, this.files, this.calibration, this.board);
    this.crops = new CropBook(base.pool);
    this.facts = new FactBook(base.pool, (key, value) => {
      const projectId = base.project.id;
      base.save(base.repository.saveFact({ version: RECORD_VERSION, id: `${projectId}:${key}`, projectId, value }));
      base.state.setState(({ factRound }) => ({ factRound: factRound + 1 }));
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
    const state: ProjectState = {
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
      unsaved: null,
      factRound: 0,
    };
    const session = new ProjectSession(new ProjectStore(state, pool, jobs, repository));
    session.facts.restore(facts.map(({ id, value }) => ({ key: id.slice(projectId.length + 1), value })));
    await session.calibration.open(masters.found);
    session.saveProject({});
    session.subs.noteSums();
    session.subs.grade();
    return session;
  }

  get pool(): WorkerPool {
    return this.base.pool;
  }

  get jobs(): Jobs {
    return this.base.jobs;
  }

  get project(): ProjectRecord {
    return this.base.project;
  }

  saveProject(part: Partial<ProjectRecord>): void {
    this.base.saveProject(part);
  }

  /** Removes stored records that cannot be read, and what was said of them. */
  async removeDamaged(): Promise<void> {
    const { repository, state } = this.base;
    try {
      await repository.removeDamaged(this.project.id);
      state.setState(({ problems }) => ({ problems: problems.filter((problem) => !problem.endsWith(LEFT_AS_IT_IS)) }));
    } catch (error) {
      this.base.tell(error);
    }
  }

  /** Writes what waits to be written and ends all work. */
  close(): void {
    this.board.flush();
    this.subs.close();
    this.stacks.close();
    this.jobs.stopAll();
  }
}
