import type { ChainStep } from "@/core/chain";
import { migratedStep } from "@/core/chain";
import type { Board, ChainRecord, Found, StackRecord } from "@/storage";
import { RECORD_VERSION } from "@/storage";
import { firstBoard } from "./board";
import type { History } from "./history";
import { amend, record, redo, startHistory, undo } from "./history";
import type { ProjectStore } from "./projectStore";

/** Changes within this time are written together. */
const WRITE_AFTER_MS = 150;

/** Steps of older versions of their operations as today's. */
export const withCurrentSteps = (board: Board): Board => ({
  ...board,
  lanes: board.lanes.map((lane) => ({
    ...lane,
    steps: lane.steps.map((step) => ({ ...migratedStep(step), id: step.id })),
  })),
});

/** A board as the present one is looked at: taking a change back opens or closes no panel and no ladder, and moves no crop. */
function asSeen(board: Board, { view, look, selectedLaneId, ladder }: Board): Board {
  const lane = (id: string | null) => board.lanes.find((one) => one.id === id);
  const stays = ladder && lane(ladder.laneId)?.steps.some(({ id }) => id === ladder.stepId);
  return {
    ...board,
    view,
    look,
    ladder: stays ? ladder : null,
    selectedLaneId: lane(selectedLaneId) ? selectedLaneId : board.selectedLaneId,
  };
}

/** Lanes, spots and view of a project, with undo. */
export class BoardBook {
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly base: ProjectStore) {}

  /** Changes the board as one step that can be undone; steps of the same `group` in quick succession become one. */
  change(change: (board: Board) => Board, group: string | null = null): void {
    this.with((board) => record(board, change(board.present), group, Date.now()));
  }

  /** Changes what is selected or looked at, which is no step of its own. */
  amend(change: (board: Board) => Board): void {
    this.with((board) => amend(board, change(board.present)));
  }

  /** The chains that were kept for any project. */
  keptChains(): Promise<Found<ChainRecord[]>> {
    return this.base.stored.chains();
  }

  /** Keeps a chain under a name, for any project. */
  async keepChain(name: string, steps: ChainStep[]): Promise<void> {
    const record = { version: RECORD_VERSION, id: crypto.randomUUID(), name, keptAt: Date.now(), steps } as const;
    await this.base.storage.keepChain(record);
  }

  dropChain(id: string): Promise<void> {
    return this.base.storage.dropChain(id);
  }

  undo(): void {
    this.with((board) => undo(board, asSeen));
  }

  redo(): void {
    this.with((board) => redo(board, asSeen));
  }

  /** The board of a first stack, where there is none yet; the demo's lets the order of noise reduction and deconvolution be judged. */
  begin(stack: StackRecord): void {
    const { board, project } = this.base.now;
    if (!board) this.set(startHistory(firstBoard(stack, project.demo && project.demoKind === "night")));
  }

  /** Writes the board at once; called when the page goes away. */
  flush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    const { board, project } = this.base.now;
    if (!board) return;
    const { id } = project;
    this.base.save(this.base.storage.saveBoard({ version: RECORD_VERSION, id, projectId: id, board: board.present }));
  }

  private with(change: (board: History<Board>) => History<Board>): void {
    const { board } = this.base.now;
    if (board) this.set(change(board));
  }

  private set(board: History<Board>): void {
    this.base.state.setState({ board });
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => this.flush(), WRITE_AFTER_MS);
  }
}
