import type { Board, Ladder, Lane, LaneStep } from "@/storage";
import { changeLane, duplicateLane, fresh } from "./board";

/** Values from `from` to `to`, evenly spread or (`even` in ratio) each the same times the one before, rounded to the field's step. */
export function ladderValues(
  from: number,
  to: number,
  count: number,
  step: number,
  even: "steps" | "ratio" = "steps",
): number[] {
  return Array.from({ length: count }, (_, k) => {
    const share = k / (count - 1);
    const value = even === "ratio" ? from * (to / from) ** share : from + (to - from) * share;
    return Number((Math.round(value / step) * step).toFixed(6));
  });
}

export interface Rung {
  lane: Lane;
  value: number;
  /** Of a grid's second setting. */
  second: number | null;
  /** 0 for the rung nearest to what the lane has, 1 for the next one … */
  rank: number;
}

/** The rungs of a ladder as lanes: one lane at rising values of one setting; with a second one row by row. */
export function rungsOf(board: Board): Rung[] {
  const { ladder } = board;
  const base = board.lanes.find(({ id }) => id === ladder?.laneId);
  if (!ladder || !base) return [];
  const present = (of: { stepId: string; field: string }): number => {
    const step = base.steps.find(({ id }) => id === of.stepId);
    return Number(of.field === "blend" ? step?.blend : step?.params[of.field]);
  };
  const rows = ladder.second ? ladder.second.values : [null];
  const all = rows.flatMap((second) =>
    ladder.values.map((value) => ({ value, second, rank: 0, lane: rungLane(base, ladder, value, second) })),
  );
  const distance = ({ value, second }: Rung): number =>
    Math.hypot(
      (value - present(ladder)) / spread(ladder.values),
      ladder.second && second !== null ? (second - present(ladder.second)) / spread(ladder.second.values) : 0,
    );
  [...all].sort((a, b) => distance(a) - distance(b)).forEach((rung, rank) => (rung.rank = rank));
  return all;
}

const spread = (values: readonly number[]): number => Math.max(...values) - Math.min(...values) || 1;

function rungLane(base: Lane, ladder: Ladder, value: number, second: number | null): Lane {
  const row = second === null || !ladder.second ? 0 : ladder.second.values.indexOf(second);
  const k = row * ladder.values.length + ladder.values.indexOf(value);
  return {
    ...base,
    id: `${base.id}#${k}`,
    letter: `${base.letter}·${k + 1}`,
    steps: stepsAtRung(base.steps, ladder, value, second),
  };
}

/** The lane of which this one is a rung, or itself. */
export const laneOfRung = (laneId: string): string => laneId.split("#")[0];

/** By which crops of a lane and of the rungs of its ladder at a spot find the worker that has what they share; and measures of the square around it. */
export const affinityOf = (laneId: string, spotId: string, of: "crop" | "measures" = "crop"): string =>
  `${of} ${laneOfRung(laneId)} ${spotId}`;

function stepsAtRung(steps: LaneStep[], ladder: Ladder, value: number, second: number | null): LaneStep[] {
  return steps.map((step) => {
    const at = step.id === ladder.stepId ? withSetting(step, ladder.field, value) : step;
    return second !== null && step.id === ladder.second?.stepId ? withSetting(at, ladder.second.field, second) : at;
  });
}

function withSetting(step: LaneStep, field: string, value: number): LaneStep {
  return field === "blend" ? { ...step, blend: value } : { ...step, params: { ...step.params, [field]: value } };
}

/** Keeps one rung: its value becomes the lane's setting, and the ladder goes. */
export function keepRung(board: Board, value: number, second: number | null = null): Board {
  const { ladder } = board;
  if (!ladder) return board;
  const next = changeLane(board, ladder.laneId, (lane) => ({
    ...lane,
    steps: stepsAtRung(lane.steps, ladder, value, second),
  }));
  return { ...next, ladder: null, selectedLaneId: ladder.laneId };
}

/** One rung as a lane of its own, beside the ladder's; the ladder stays. */
export function rungAsLane(board: Board, value: number, second: number | null = null): Board {
  const { ladder } = board;
  if (!ladder) return board;
  const next = duplicateLane(board, ladder.laneId);
  const made = next.lanes.find(({ id }) => id === next.selectedLaneId);
  const base = board.lanes.find(({ id }) => id === ladder.laneId);
  if (!made || !base) return board;
  const steps = fresh(stepsAtRung(base.steps, ladder, value, second));
  return { ...changeLane(next, made.id, (lane) => ({ ...lane, steps })), ladder, selectedLaneId: board.selectedLaneId };
}
