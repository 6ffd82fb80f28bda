import type { ShownBy } from "@/core/display";
import { withParams } from "@/core/display";
import type { Board, Lane, StackRecord } from "@/storage";

/** The lane by whose levels all are shown; null where each is shown by those of its own stack. */
export const linkedLane = ({ look, lanes }: Pick<Board, "look" | "lanes">): Lane | null =>
  lanes.find(({ id }) => id === look.levelsOf) ?? null;

/** A display of its own or the common one, on the levels of its own stack; or, where all are linked to one lane, what that one is shown by. */
export function shownByOf(board: Board, lane: Lane, own: StackRecord, stacks: readonly StackRecord[]): ShownBy {
  const linked = linkedLane(board);
  const stack = linked && stacks.find(({ id }) => id === linked.stackId);
  if (linked && stack) return { display: linked.display ?? board.display, levels: stack.facts.stretch };
  return { display: lane.display ?? board.display, levels: own.facts.stretch };
}

/** Changes settings of the display: of the lane's own where it has one, else of the common one. */
export function setDisplay(board: Board, lane: Lane | null, part: Record<string, unknown>): Board {
  if (!lane?.display) return { ...board, display: withParams(board.display, part) };
  const display = withParams(lane.display, part);
  return { ...board, lanes: board.lanes.map((one) => (one.id === lane.id ? { ...one, display } : one)) };
}

/** Gives a lane a display of its own, as it is shown now, or takes it away. */
export function ownDisplay(board: Board, laneId: string, isOwn: boolean): Board {
  const display = isOwn ? board.display : undefined;
  return { ...board, lanes: board.lanes.map((one) => (one.id === laneId ? { ...one, display } : one)) };
}

/** How lanes are shown otherwise than by the common display on each stack's levels, in words; "" where they are not. */
export function displayedWords(board: Board): string {
  const linked = linkedLane(board);
  if (linked) return `all lanes are shown by the levels of lane ${linked.letter}`;
  const own = board.lanes.filter(({ display }) => display).map(({ letter }) => letter);
  if (own.length === 0) return "";
  return own.length === 1
    ? `lane ${own[0]} is shown by levels of its own`
    : `lanes ${own.join(", ")} are shown by levels of their own`;
}
