import type { BlindRecord } from "@/core/compare";
import { UserError } from "@/core/job";
import type { WorkerPool } from "@/engine/pool";
import type { FactRecord, MasterRecord, ProjectRecord, ReadRepository, Repository, StackRecord } from "@/storage";
import { LEFT_AS_IT_IS, NOTHING_WRITTEN, projectRecord, RECORD_VERSION } from "@/storage";
import { BoardBook, withCurrentSteps } from "./boardBook";
import { CalibrationBook } from "./calibrationBook";
import { CropBook } from "./crops";
import { EvidenceBook } from "./evidence";
import { FactBook, outdatedFacts } from "./facts";
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
    this.facts = new FactBook(
      base.pool,
      ({ key, value }) => {
        const projectId = base.project.id;
        const fact = {
          version: RECORD_VERSION,
          id: factId(projectId, key),
          projectId,
          value,
          usedAt: Date.now(),
        } as const;
        base.save(base.storage.saveFact(fact));
      },
      () => base.state.setState(({ factRound }) => ({ factRound: factRound + 1 })),
    );
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
    const session = new ProjectSession(new ProjectStore(read.state, pool, jobs, repository, repository));
    await session.tidy(read);
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
    stored: ReadRepository,
  ): Promise<ProjectSession | null> {
    const read = await readProject(projectId, stored);
    if (!read) return null;
    const session = new ProjectSession(new ProjectStore(read.state, pool, jobs, stored, NOTHING_WRITTEN));
    session.facts.restore(read.facts);
    return session;
  }

  /** Reads anew what another tab wrote; false where the project is gone. What is looked at here stays. */
  async readAgain(): Promise<boolean> {
    const { state, now, stored } = this.base;
    const read = await readProject(this.project.id, stored);
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
      project,
      subs,
      stacks,
      board,
      currentStackId: isThere ? now.currentStackId : read.state.currentStackId,
    });
    return true;
  }

  /** Removes for good what waited for it too long or is of no use any more, and takes over the facts that are. */
  private async tidy({ deleted, facts }: StoredProject): Promise<void> {
    const { storage, project } = this.base;
    for (const { id, deletedAt } of deleted)
      if (deletedAt !== null && Date.now() - deletedAt > KEEP_DELETED_MS)
        await storage.deleteStack(id).catch((error: unknown) => this.base.report(error));
    const outdated = new Set(outdatedFacts(facts));
    if (outdated.size > 0) this.base.save(storage.removeFacts([...outdated].map((key) => factId(project.id, key))));
    this.facts.restore(facts.filter(({ key }) => !outdated.has(key)));
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

  /** Puts what went wrong on show, in words. */
  report(error: unknown): void {
    this.base.report(error);
  }

  saveProject(part: Partial<ProjectRecord>): void {
    this.base.saveProject(part);
  }

  /** Gives the project another name; one that is empty, or longer than the shelf takes, is not taken. */
  rename(name: string): void {
    const read = projectRecord.shape.name.safeParse(name.trim());
    if (read.success && read.data !== this.project.name) this.base.saveProject({ name: read.data });
  }

  /** Removes stored records that cannot be read, and what was said of them. */
  async removeDamaged(): Promise<void> {
    const { storage, state } = this.base;
    try {
      await storage.removeDamaged(this.project.id);
      state.setState(({ problems }) => ({ problems: problems.filter((problem) => !problem.endsWith(LEFT_AS_IT_IS)) }));
    } catch (error) {
      this.base.report(error);
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
interface StoredProject {
  state: ProjectState;
  masters: MasterRecord[];
  facts: { key: string; value: unknown[]; usedAt: number }[];
  /** Stacks that wait to be deleted for good. */
  deleted: StackRecord[];
}

/** Facts are stored under their project and what they depend on. */
const factId = (projectId: string, key: string): string => `${projectId}:${key}`;
const factOf = ({ id, projectId, value, usedAt }: FactRecord) => ({
  key: id.slice(projectId.length + 1),
  value,
  usedAt,
});

/** Reads a project; null for one that is not there or was deleted. Throws UserError for one that cannot be read. */
async function readProject(projectId: string, repository: ReadRepository): Promise<StoredProject | null> {
  const read = await repository.project(projectId);
  if (!read.ok && read.reason.why === "missing") return null;
  if (!read.ok)
    throw new UserError(
      read.reason.detail,
      read.reason.why === "newer" ? "Update this application." : "Nothing was changed of it.",
    );
  const project = read.value;
  if (project.deletedAt !== null) return null;
  const [subs, masters, stacks, board, facts] = await Promise.all([
    repository.subs(projectId),
    repository.masters(projectId),
    repository.stacks(projectId),
    repository.board(projectId),
    repository.facts(projectId),
  ]);
  const there = stacks.found.filter(({ deletedAt }) => deletedAt === null);
  const state: ProjectState = {
    project,
    subs: subs.found,
    masters: [],
    refused: [],
    waiting: [],
    found: [],
    stacks: there,
    board: board.found && startHistory(withCurrentSteps(board.found.board)),
    problems: [subs, masters, stacks, board, facts].flatMap(({ problems }) => problems),
    currentSubId: (lightsOf(subs.found)[0] ?? subs.found[0])?.id ?? null,
    selection: [],
    proposal: null,
    grading: null,
    currentStackId: there[there.length - 1]?.id ?? null,
    unsaved: null,
    factRound: 0,
  };
  const deleted = stacks.found.filter((stack) => !there.includes(stack));
  return { state, masters: masters.found, facts: facts.found.map(factOf), deleted };
}
