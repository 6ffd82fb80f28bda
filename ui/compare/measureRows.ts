import type { LaneMeasures, Measure, MeasureGroup } from "@/core/compare";
import { MEASURES } from "@/core/compare";
import { rungsOf } from "@/state/ladder";
import type { Board, Lane } from "@/storage";

/** Id of the row of the stack as it is, where no lane is that. */
export const UNTOUCHED = "untouched";

/** A lane, or a rung of a ladder, as a row of the table of measures. */
export interface MeasureRow {
  lane: Lane;
  /** Value of the ladder's setting. */
  rung: number | null;
  /** Value of a grid's second setting. */
  second: number | null;
  values: LaneMeasures;
}

/** The lanes, or the rungs of the ladder that lies open; and the stack as it is, where no lane is. */
export function rowsOf(board: Board): Omit<MeasureRow, "values">[] {
  const rungs = rungsOf(board).map(({ lane, value, second }) => ({ lane, rung: value, second }));
  const plain = (lane: Lane) => ({ lane, rung: null, second: null });
  const rows = rungs.length > 0 ? rungs : board.lanes.map(plain);
  if (rows.some(({ lane }) => lane.steps.every(({ on }) => !on)) || !rows[0]) return rows;
  return [...rows, plain({ id: UNTOUCHED, letter: "–", stackId: rows[0].lane.stackId, steps: [] })];
}

/** Measures under a heading, or all; those of colour only where a stack has three channels. */
export const measuresOf = (group: MeasureGroup | null, hasColour: boolean): Measure[] =>
  MEASURES.filter((measure) => (group === null || measure.group === group) && (hasColour || !measure.ofColour));

/** The mean of each measure over places; null where none has it. */
export function meanOf(places: readonly LaneMeasures[]): LaneMeasures {
  return Object.fromEntries(
    MEASURES.map(({ id }) => {
      const known = places.flatMap((values) => values[id] ?? []);
      return [id, known.length > 0 ? known.reduce((sum, v) => sum + v, 0) / known.length : null];
    }),
  );
}

/** Rows by a measure; those that do not have it come last. */
export function sortedBy(rows: readonly MeasureRow[], { id, down }: { id: string; down: boolean }): MeasureRow[] {
  const last = down ? -Infinity : Infinity;
  const value = ({ values }: MeasureRow): number => values[id] ?? last;
  return [...rows].sort((a, b) => (down ? value(b) - value(a) : value(a) - value(b)));
}

/** Whether a lane is best in a measure; of several alike none is. */
export function isBest(
  { id, unit, better, digits }: Measure,
  lane: Lane,
  rows: readonly MeasureRow[],
  levelScale: number,
): boolean {
  if (better === null) return false;
  const sign = (better === "less" ? 1 : -1) * (unit === "level" ? levelScale : 1);
  const known = rows.flatMap((row) =>
    row.values[id] === null || row.lane.id === UNTOUCHED ? [] : { row, at: sign * (row.values[id] ?? 0) },
  );
  if (known.length < 2) return false;
  const least = Math.min(...known.map(({ at }) => at));
  const best = known.filter(({ at }) => at - least < 0.5 * 10 ** -digits);
  return best.length === 1 && best[0].row.lane.id === lane.id;
}
