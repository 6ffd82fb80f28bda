import type { ChainStep } from "@/core/chain";
import { newStep } from "@/core/chain";
import type { Mask } from "@/core/mask";
import { maskKey } from "@/core/mask";
import { DEFAULT_DISPLAY } from "@/core/display";
import { findOperation, withStrength } from "@/core/operations";
import type { Board, Lane, LaneStep, StackRecord, Verdict } from "@/storage";
import { FRESH_LOOK } from "@/storage";

const newId = (): string => crypto.randomUUID();

/** The first free letter A … Z, then A2, B2 … */
export function nextLetter(lanes: Lane[]): string {
  const taken = new Set(lanes.map(({ letter }) => letter));
  for (let round = 1; ; round++)
    for (let k = 0; k < 26; k++) {
      const letter = String.fromCharCode(65 + k) + (round > 1 ? String(round) : "");
      if (!taken.has(letter)) return letter;
    }
}

export function laneStepOf(step: ChainStep): LaneStep {
  return { ...step, id: newId() };
}

function stepOf(operationId: string): LaneStep {
  const operation = findOperation(operationId);
  if (!operation) throw new RangeError(`unknown operation ${operationId}`);
  return laneStepOf(newStep(operation));
}

/** Fewer stars do not say what a star looks like. */
const LEAST_STARS = 10;

/** The board of a first stack: untouched, noise reduction, deconvolution, and both, where it is asked for in either order; the proposed spots. */
export function firstBoard(stack: StackRecord, hasBothOrders = false): Board {
  const noise = () => stepOf("noise.mixture");
  // Stars can be set apart where there are some whose width is measured; Moon and planets have none.
  const hasStars = stack.facts.stars >= LEAST_STARS && stack.facts.fwhmPx !== null;
  const sharp = () => stepOf(hasStars ? "deconvolve.stars-apart" : "deconvolve.energy-layers");
  const chains = [[], [noise()], [sharp()], [sharp(), noise()], ...(hasBothOrders ? [[noise(), sharp()]] : [])];
  const lanes = chains.map((steps, k) => ({
    id: newId(),
    letter: String.fromCharCode(65 + k),
    stackId: stack.id,
    steps,
  }));
  return {
    lanes,
    spots: stack.facts.spots.map((spot) => ({ id: newId(), ...spot })),
    view: { zoom: 2, panX: 0, panY: 0 },
    look: FRESH_LOOK,
    display: DEFAULT_DISPLAY,
    ladder: null,
    masks: [],
    verdicts: [],
    removed: [],
    selectedLaneId: lanes[1].id,
  };
}

export function addLane(board: Board, stackId: string): Board {
  const lane: Lane = { id: newId(), letter: nextLetter(board.lanes), stackId, steps: [] };
  return { ...board, lanes: [...board.lanes, lane], selectedLaneId: lane.id, ladder: null };
}

export function duplicateLane(board: Board, laneId: string): Board {
  const at = board.lanes.findIndex(({ id }) => id === laneId);
  if (at < 0) return board;
  const source = board.lanes[at];
  const copy: Lane = {
    ...source,
    id: newId(),
    letter: nextLetter(board.lanes),
    steps: source.steps.map((step) => ({ ...step, id: newId() })),
  };
  const lanes = [...board.lanes.slice(0, at + 1), copy, ...board.lanes.slice(at + 1)];
  return { ...board, lanes, selectedLaneId: copy.id, ladder: null };
}

/** Lanes taken out that are kept. */
const MOST_REMOVED = 12;

export function removeLane(board: Board, laneId: string): Board {
  const gone = board.lanes.find(({ id }) => id === laneId);
  if (!gone) return board;
  const lanes = board.lanes.filter(({ id }) => id !== laneId);
  const selectedLaneId = board.selectedLaneId === laneId ? (lanes[0]?.id ?? null) : board.selectedLaneId;
  const ladder = board.ladder?.laneId === laneId ? null : board.ladder;
  return { ...board, lanes, selectedLaneId, ladder, removed: [...board.removed, gone].slice(-MOST_REMOVED) };
}

/** Brings a lane back that was taken out, at the end; under its old letter where that is free. */
export function bringBackLane(board: Board, laneId: string): Board {
  const lane = board.removed.find(({ id }) => id === laneId);
  if (!lane) return board;
  const isTaken = board.lanes.some(({ letter }) => letter === lane.letter);
  const back = isTaken ? { ...lane, letter: nextLetter(board.lanes) } : lane;
  const removed = board.removed.filter(({ id }) => id !== laneId);
  return { ...board, removed, lanes: [...board.lanes, back], selectedLaneId: back.id, ladder: null };
}

/** The same things with one moved to another place. */
function moved<T>(things: readonly T[], from: number, to: number): T[] {
  const next = [...things];
  next.splice(to, 0, ...next.splice(from, 1));
  return next;
}

/** Moves a lane to the place of another; the board itself where either is not there. */
export function moveLane(board: Board, laneId: string, otherId: string | undefined): Board {
  const [from, to] = [laneId, otherId].map((wanted) => board.lanes.findIndex(({ id }) => id === wanted));
  return from < 0 || to < 0 ? board : { ...board, lanes: moved(board.lanes, from, to) };
}

export const moveSpot = (board: Board, from: number, to: number): Board => ({
  ...board,
  spots: moved(board.spots, from, to),
});

/** Names of the groups that lanes are in. */
export const groupsOf = ({ lanes }: Pick<Board, "lanes">): string[] => [
  ...new Set(lanes.flatMap(({ group }) => group || [])),
];

/** The lanes that are shown: those of the chosen group, where there is one. */
export function shownLanes({ lanes, look }: Pick<Board, "lanes" | "look">): Lane[] {
  const ofGroup = lanes.filter(({ group }) => group && group === look.group);
  return ofGroup.length > 0 ? ofGroup : lanes;
}

/** The same steps under ids of their own. */
export const fresh = (steps: readonly LaneStep[]): LaneStep[] => steps.map((step) => ({ ...step, id: newId() }));

/** The chain of one lane in the place of another's, or of all others' (null). */
export function copyChain(board: Board, fromId: string, toId: string | null): Board {
  const from = board.lanes.find(({ id }) => id === fromId);
  if (!from) return board;
  const isMeant = ({ id }: Lane) => id !== fromId && (toId === null || id === toId);
  const lanes = board.lanes.map((lane) => (isMeant(lane) ? { ...lane, steps: fresh(from.steps) } : lane));
  return { ...board, lanes, ladder: null };
}

/** One step at the end of another lane, or of all others (null). */
export function copyStep(board: Board, fromId: string, stepId: string, toId: string | null): Board {
  const step = board.lanes.find(({ id }) => id === fromId)?.steps.find(({ id }) => id === stepId);
  if (!step) return board;
  const isMeant = ({ id }: Lane) => id !== fromId && (toId === null || id === toId);
  const lanes = board.lanes.map((lane) =>
    isMeant(lane) ? { ...lane, steps: [...lane.steps, ...fresh([step])] } : lane,
  );
  return { ...board, lanes };
}

/** The same chain on another stack, as a lane of its own. */
export function laneOnStack(board: Board, laneId: string, stackId: string): Board {
  const next = duplicateLane(board, laneId);
  return next === board || next.selectedLaneId === null
    ? board
    : changeLane(next, next.selectedLaneId, (lane) => ({ ...lane, stackId }));
}

export function changeLane(board: Board, laneId: string, change: (lane: Lane) => Lane): Board {
  return { ...board, lanes: board.lanes.map((lane) => (lane.id === laneId ? change(lane) : lane)) };
}

export function changeStep(board: Board, laneId: string, stepId: string, part: Partial<LaneStep>): Board {
  return changeLane(board, laneId, (lane) => ({
    ...lane,
    steps: lane.steps.map((step) => (step.id === stepId ? { ...step, ...part } : step)),
  }));
}

export function addStep(board: Board, laneId: string, operationId: string): Board {
  return changeLane(board, laneId, (lane) => ({ ...lane, steps: [...lane.steps, stepOf(operationId)] }));
}

export function removeStep(board: Board, laneId: string, stepId: string): Board {
  const next = changeLane(board, laneId, (lane) => ({ ...lane, steps: lane.steps.filter(({ id }) => id !== stepId) }));
  return { ...next, ladder: board.ladder?.stepId === stepId ? null : next.ladder };
}

export function moveStep(board: Board, laneId: string, from: number, to: number): Board {
  return changeLane(board, laneId, (lane) => ({ ...lane, steps: moved(lane.steps, from, to) }));
}

/** The chain's masks become the project's too; one of a known id that means something else comes beside it, as it is in the file. */
export function importChain(board: Board, laneId: string, steps: ChainStep[]): Board {
  const masks = [...board.masks];
  const brought = steps.map((step) => ({ ...step, mask: step.mask && joined(masks, step.mask) }));
  const next = changeLane(board, laneId, (lane) => ({ ...lane, steps: brought.map(laneStepOf) }));
  return { ...next, masks };
}

/** The mask of the list that is the same, or this one, put to the list under an id and name of its own. */
function joined(masks: Mask[], mask: Mask): Mask {
  const brought = `${mask.name}, brought`.slice(0, 60);
  const isIt = ({ id, name }: Mask) => id === mask.id || name === brought;
  const same = masks.find((one) => isIt(one) && maskKey(one) === maskKey(mask));
  if (same) return same;
  const own = masks.some(({ id }) => id === mask.id) ? { ...mask, id: newId(), name: brought } : mask;
  masks.push(own);
  return own;
}

/** A step of any lane by its id, with that lane. */
export function stepOfBoard({ lanes }: Board, id: string | null): { lane: Lane; step: LaneStep } | null {
  for (const lane of lanes) {
    const step = lane.steps.find((one) => one.id === id);
    if (step) return { lane, step };
  }
  return null;
}

/** A new spot at a place of the project. */
export function addSpot(board: Board, x: number, y: number): Board {
  const spot = { id: newId(), name: `Spot ${board.spots.length + 1}`, x, y };
  return { ...board, spots: [...board.spots, spot] };
}

/** The spot of the layouts that show one. */
export const spotOf = ({ spots, look }: Board) => spots.find(({ id }) => id === look.spotId) ?? spots[0] ?? null;

/** The chosen lane and the one that it is held against; null where there are not two. */
export function pairOf({ lanes, look, selectedLaneId }: Board): [chosen: Lane, other: Lane] | null {
  const chosen = lanes.find(({ id }) => id === selectedLaneId) ?? lanes[0];
  const others = lanes.filter(({ id }) => id !== chosen?.id);
  const other = others.find(({ id }) => id === look.otherId) ?? others[0];
  return chosen && other ? [chosen, other] : null;
}

/** Sets the strengths of several steps at once. */
export function setStrengths(
  board: Board,
  set: readonly { laneId: string; stepId: string; strength: number }[],
): Board {
  return set.reduce((next, { laneId, stepId, strength }) => {
    const step = next.lanes.find(({ id }) => id === laneId)?.steps.find(({ id }) => id === stepId);
    const operation = step && findOperation(step.operation);
    if (!step || !operation) return next;
    return changeStep(next, laneId, stepId, { params: withStrength(operation, step.params, strength) });
  }, board);
}

/** What was decided at a spot, or over all (null). */
export const verdictAt = ({ verdicts }: Board, spotId: string | null): Verdict =>
  verdicts.find((one) => one.spotId === spotId) ?? { spotId, laneId: null, note: "" };

export function setVerdict(board: Board, spotId: string | null, part: Partial<Verdict>): Board {
  const others = board.verdicts.filter((one) => one.spotId !== spotId);
  return { ...board, verdicts: [...others, { ...verdictAt(board, spotId), ...part }] };
}

/** What was decided, in words; "" where nothing was. */
export function verdictWords(board: Board, spotId: string | null): string {
  const { laneId, note } = verdictAt(board, spotId);
  const lane = board.lanes.find(({ id }) => id === laneId);
  return [lane ? `lane ${lane.letter} is best` : "", note].filter((word) => word !== "").join(": ");
}
