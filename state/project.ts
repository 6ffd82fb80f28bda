import type { BlindRecord } from "@/core/compare";
import type { WorkerPool } from "@/engine/pool";
import type { FactRecord, MasterRecord, ProjectRecord, Repository } from "@/storage";
import { LEFT_AS_IT_IS, lookingOnly, RECORD_VERSION } from "@/storage";
import { BoardBook, withCurrentSteps } from "./boardBook";
import { CalibrationBook } from "./calibrationBook";
import { CropBook } from "./crops";
import { EvidenceBook } from "./evidence";
import { FactBook } from "./facts";
import { Files } from "./files";
import { startHistory } from "./history";
import type { Jobs } from "./jobs";
import { lightsOf } from "./lights";
import type { ProjectState } from "./projectStore";
import { ProjectStore } from "./projectStore";
import { KEEP_DELETED_MS } from "./shelf";
import { StackBook } from "./stackBook";
import { SubsBook } from "./subs";
import { WholeEvidenceBook } from "./wholeEvidence";

export type { ProjectState } from "./projectStore";

/** Entries of the journal that are kept. */
const MOST_NOTES = 500;

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
  readonly evidence: EvidenceBook;
  readonly wholeEvidence: WholeEvidenceBook;

  private constructor(private readonly base: ProjectStore) {
    this.store = base.state;
    this.files = new Files(base);
    this.calibration = new CalibrationBook(base, this.files);
    this.subs = new SubsBook(base, this.files, this.calibration);
    this.board = new BoardBook(base);
    this.stacks = new StackBook(base, this.files, this.calibration, this.board);
    this.crops = new CropBook(base.pool);
    this.evidence = new EvidenceBook(base.pool);
    this.wholeEvidence = new WholeEvidenceBook(base.pool, base.jobs);
    this.facts = new FactBook(base.pool, (key, value) => {
      const projectId = base.project.id;
      base.save(base.repository.saveFact({ version: RECORD_VERSION, id: `${projectId}:${key}`, projectId, value }));
      base.state.setState(({ factRound }) => ({ factRound: factRound + 1 }));
    });
  }

  /** Opens a project to work on it, or null where there is none. */
  static async open(
    projectId: string,
    pool: WorkerPool,
    jobs: Jobs,
    repository: Repository,
  ): Promise<ProjectSession | null> {
    const read = await readProject(projectId, repository);
    if (!read) return null;
    const session = new ProjectSession(new ProjectStore(read.state, pool, jobs, repository));
    session.restoreFacts(read.facts);
    await session.calibration.open(read.masters);
    session.saveProject({ openedAt: Date.now() });
    session.subs.noteSums();
    session.subs.grade();
    return session;
  }

  /** Opens a project only to look at it, while another tab works on it: nothing is written, and nothing begun. */
  static async follow(
    projectId: string,
    pool: WorkerPool,
    jobs: Jobs,
    repository: Repository,
  ): Promise<ProjectSession | null> {
    const read = await readProject(projectId, repository);
    if (!read) return null;
    const session = new ProjectSession(new ProjectStore(read.state, pool, jobs, lookingOnly(repository)));
    session.restoreFacts(read.facts);
    return session;
  }

  /** Reads anew what another tab wrote; false where the project is gone. What is looked at here stays. */
  async readAgain(): Promise<boolean> {
    const { state, now, repository } = this.base;
    const read = await readProject(this.project.id, repository);
    if (!read) return false;
    const { project, subs, board } = read.state;
    const known = new Map(now.stacks.map((stack) => [stack.id, stack]));
    // A stack that is as it was stays the same object, so that its picture is not drawn anew.
    const stacks = read.state.stacks.map((stack) => {
      const before = known.get(stack.id);
      return before && JSON.stringify(before) === JSON.stringify(stack) ? before : stack;
    });
    const isThere = stacks.some(({ id }) => id === now.currentStackId);
    state.setState({
      ...{ project, subs, stacks, board },
      currentStackId: isThere ? now.currentStackId : read.state.currentStackId,
    });
    return true;
  }

  private restoreFacts(facts: readonly FactRecord[]): void {
    const start = this.project.id.length + 1;
    this.facts.restore(facts.map(({ id, value }) => ({ key: id.slice(start), value })));
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

  /** Writes into the journal what was tried or decided; of a blind trial every choice. */
  note(text: string, trial?: BlindRecord): void {
    const journal = [...this.project.journal, { at: Date.now(), text: text.slice(0, 500), ...(trial && { trial }) }];
    this.saveProject({ journal: journal.slice(-MOST_NOTES) });
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

/** A project as it is stored. */
async function readProject(
  projectId: string,
  repository: Repository,
): Promise<{ state: ProjectState; masters: MasterRecord[]; facts: FactRecord[] } | null> {
  const project = await repository.project(projectId);
  if (!project || project.deletedAt !== null) return null;
  const [subs, masters, stacks, board, facts] = await Promise.all([
    repository.subs(projectId),
    repository.masters(projectId),
    repository.stacks(projectId),
    repository.board(projectId),
    repository.facts(projectId),
  ]);
  const there = stacks.found.filter(({ deletedAt }) => deletedAt === null);
  for (const { id, deletedAt } of stacks.found)
    if (deletedAt !== null && Date.now() - deletedAt > KEEP_DELETED_MS)
      // A tab that only looks on deletes nothing.
      await repository.deleteStack(id).catch(() => undefined);
  const state: ProjectState = {
    project,
    subs: subs.found,
    masters: [],
    refused: [],
    waiting: [],
    found: [],
    stacks: there,
    board: board.found && startHistory(withCurrentSteps(board.found.board)),
    problems: [...subs.problems, ...masters.problems, ...stacks.problems, ...board.problems],
    currentSubId: (lightsOf(subs.found)[0] ?? subs.found[0])?.id ?? null,
    selection: [],
    proposal: null,
    grading: null,
    currentStackId: there[there.length - 1]?.id ?? null,
    unsaved: null,
    factRound: 0,
  };
  return { state, masters: masters.found, facts };
}
