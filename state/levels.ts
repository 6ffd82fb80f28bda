import type { LevelsFact } from "@/core/facts";
import type { StretchParams } from "@/core/operations";
import type { Board, Lane, StackRecord } from "@/storage";

/** What a linear lane is shown by. */
export interface LaneLevels {
  params: StretchParams;
  levels: LevelsFact;
}

/** The lane by whose levels all are shown; null where each is shown by those of its own stack. */
export const levelsLane = ({ look, lanes }: Pick<Board, "look" | "lanes">): Lane | null =>
  lanes.find(({ id }) => id === look.levelsOf) ?? null;

/** Levers of its own or the common ones, on the levels of its own stack; or, where all are linked to one lane, what that one is shown by. */
export function levelsFor(board: Board, lane: Lane, own: StackRecord, stacks: readonly StackRecord[]): LaneLevels {
  const linked = levelsLane(board);
  const stack = linked && stacks.find(({ id }) => id === linked.stackId);
  if (linked && stack) return { params: linked.display ?? board.display, levels: stack.facts.stretch };
  return { params: lane.display ?? board.display, levels: own.facts.stretch };
}

/** Sets levers of the display: those of the lane that has its own, else the common ones. */
export function setLevels(board: Board, lane: Lane | null, part: Partial<StretchParams>): Board {
  if (!lane?.display) return { ...board, display: { ...board.display, ...part } };
  const display = { ...lane.display, ...part };
  return { ...board, lanes: board.lanes.map((one) => (one.id === lane.id ? { ...one, display } : one)) };
}

/** Gives a lane levers of its own, as it is shown now, or takes them away. */
export function ownLevels(board: Board, laneId: string, isOwn: boolean): Board {
  const display = isOwn ? board.display : undefined;
  return { ...board, lanes: board.lanes.map((one) => (one.id === laneId ? { ...one, display } : one)) };
}

/** How lanes are shown otherwise than by common levers on each stack's levels, in words; "" where they are not. */
export function levelsWords(board: Board): string {
  const linked = levelsLane(board);
  if (linked) return `all lanes are shown by the levels of lane ${linked.letter}`;
  const own = board.lanes.filter(({ display }) => display).map(({ letter }) => letter);
  if (own.length === 0) return "";
  return own.length === 1
    ? `lane ${own[0]} is shown by levels of its own`
    : `lanes ${own.join(", ")} are shown by levels of their own`;
}
