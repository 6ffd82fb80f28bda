"use client";

import { Download, X } from "lucide-react";
import { useMemo, useState } from "react";
import type { LaneMeasures, Measure, MeasureGroup } from "@/core/compare";
import { laneMeasuresCsv, MEASURE_GROUPS } from "@/core/compare";
import type { Board, StackRecord } from "@/storage";
import { download } from "../finish/download";
import { useProject, useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed, levelUnit } from "../kit/format";
import { LaneChip, laneWords } from "./laneHeader";
import type { MeasureRow } from "./measureRows";
import { isBest, meanOf, measuresOf, rowsOf, sortedBy, UNTOUCHED } from "./measureRows";
import { MeasuresScatter } from "./measuresScatter";
import { placeKey, useLaneMeasures } from "./useLaneMeasures";

const ALL = "all";
const GROUP_WORDS: Record<MeasureGroup, string> = {
  noise: "of noise",
  detail: "of detail",
  stars: "of stars",
  evidence: "of evidence",
};
/** Lanes (or the rungs of a ladder) against measures, the best of each marked, with a chart of any two. */
export function MeasuresTable({ board, first }: { board: Board; first: StackRecord }) {
  const session = useSession();
  const rows = useMemo(() => rowsOf(board), [board]);
  const [spotId, setSpotId] = useState(ALL);
  const [group, setGroup] = useState<MeasureGroup | typeof ALL>(ALL);
  const hasColour = useProject((state) => state.stacks.some(({ facts }) => facts.channels === 3));
  const measures = measuresOf(group === ALL ? null : group, hasColour);
  const [sort, setSort] = useState<{ id: string; down: boolean } | null>(null);
  const { values, left } = useLaneMeasures(
    useMemo(() => rows.map(({ lane }) => lane), [rows]),
    board,
  );
  const spots = board.spots.filter(({ id }) => spotId === ALL || id === spotId);
  const measured: MeasureRow[] = rows.map((row) => ({
    ...row,
    values: meanOf(spots.map(({ id }) => values.get(placeKey(row.lane.id, id)) ?? {})),
  }));
  const sorted = sort ? sortedBy(measured, sort) : measured;
  const level = levelUnit(first.facts.unit);
  const unitOf = (measure: Measure): string => (measure.unit === "level" ? level.unit : measure.unit);
  const exportCsv = () => download("measures.csv", csvOf(board, rows, values, level));
  return (
    <section
      className="flex h-60 shrink-0 border-t border-line bg-panel"
      aria-label="Measures"
      data-left={left}
      data-testid="measures"
    >
      <div className="min-w-0 flex-1 overflow-auto">
        <table className="figures text-sm">
          <thead className="sticky top-0 bg-panel">
            <tr>
              <th className="sticky left-0 bg-panel px-2 py-1 text-left font-normal">
                <Choice
                  label="Spot of the measures"
                  value={spotId}
                  options={[
                    { value: ALL, label: "mean of all spots" },
                    ...board.spots.map(({ id, name }) => ({ value: id, label: name })),
                  ]}
                  onChange={setSpotId}
                />
                <div className="pt-1">
                  <Choice
                    label="Measures that are shown"
                    value={group}
                    options={[
                      { value: ALL, label: "all measures" },
                      ...MEASURE_GROUPS.map((value) => ({ value, label: GROUP_WORDS[value] })),
                    ]}
                    onChange={setGroup}
                  />
                </div>
              </th>
              {measures.map((measure) => (
                <MeasureHead
                  key={measure.id}
                  measure={measure}
                  unit={unitOf(measure)}
                  isSorted={sort?.id === measure.id}
                  onSort={() => setSort(nextSort(sort, measure))}
                />
              ))}
            </tr>
          </thead>
          <tbody>
            {sorted.map((row) => (
              <Row key={row.lane.id} row={row} rows={measured} measures={measures} level={level} />
            ))}
          </tbody>
        </table>
        {left > 0 ? <p className="px-2 py-1 text-sm text-quiet">Measuring: {left} places to go</p> : null}
      </div>
      <MeasuresScatter rows={measured} setting={board.ladder?.field ?? null} unitOf={unitOf} levelScale={level.scale} />
      <div className="flex flex-col p-1">
        <IconButton
          label="Close the table (T)"
          onClick={() => session.board.amend((b) => ({ ...b, look: { ...b.look, measures: false } }))}
        >
          <X size={14} />
        </IconButton>
        <IconButton label="Export the measures of all lanes and spots as CSV" onClick={exportCsv}>
          <Download size={14} />
        </IconButton>
      </div>
    </section>
  );
}

type LevelUnit = ReturnType<typeof levelUnit>;

/** By the same measure the other way round; by another, the better ones first. */
const nextSort = (sort: { id: string; down: boolean } | null, { id, better }: Measure) => ({
  id,
  down: sort?.id === id ? !sort.down : better === "more",
});

function MeasureHead({
  measure,
  unit,
  isSorted,
  onSort,
}: {
  measure: Measure;
  unit: string;
  isSorted: boolean;
  onSort: () => void;
}) {
  const better = measure.better ? ` ${measure.better === "less" ? "Less" : "More"} is better.` : "";
  return (
    <th className="max-w-20 px-2 py-1 text-right align-bottom font-normal">
      <button
        type="button"
        title={`${measure.definition}.${better}`}
        className={`text-right font-sans leading-4 ${isSorted ? "text-text" : "text-quiet hover:text-text"}`}
        onClick={onSort}
      >
        {measure.label}
        {unit ? <span className="text-xs"> {unit}</span> : null}
      </button>
    </th>
  );
}

/** A lane's measures; the best of all rows stand out. */
function Row({
  row: { lane, rung, second, values },
  rows,
  measures,
  level: { scale, digits },
}: {
  row: MeasureRow;
  rows: readonly MeasureRow[];
  measures: readonly Measure[];
  level: LevelUnit;
}) {
  const session = useSession();
  const shown = (measure: Measure): string => {
    const value = values[measure.id] ?? null;
    return measure.unit === "level"
      ? fixed(value === null ? null : value * scale, digits)
      : fixed(value, measure.digits);
  };
  return (
    <tr data-row={lane.letter} className="border-t border-line">
      <th className="sticky left-0 bg-panel px-2 py-0.5 text-left font-normal">
        <button
          type="button"
          className="flex items-center gap-1.5"
          title={laneWords(lane)}
          disabled={lane.id === UNTOUCHED || rung !== null}
          onClick={() => session.board.amend((b) => ({ ...b, selectedLaneId: lane.id }))}
        >
          {lane.id === UNTOUCHED ? null : <LaneChip letter={lane.letter} />}
          <span className="max-w-44 truncate font-sans">
            {rung === null ? laneWords(lane) : [rung, second].filter((v) => v !== null).join(" · ")}
          </span>
        </button>
      </th>
      {measures.map((measure) => (
        <td key={measure.id} className="px-2 text-right" data-measure={measure.id}>
          {isBest(measure, lane, rows, scale) ? (
            <span className="text-good" title="The best of all lanes">
              {shown(measure)}
            </span>
          ) : (
            shown(measure)
          )}
        </td>
      ))}
    </tr>
  );
}

/** All measures of all lanes and spots, as far as they are known. */
function csvOf(
  board: Board,
  rows: readonly Omit<MeasureRow, "values">[],
  values: ReadonlyMap<string, LaneMeasures>,
  { unit, scale }: LevelUnit,
): Blob {
  const found = rows.flatMap(({ lane }) =>
    board.spots.flatMap(({ id, name }) => {
      const own = values.get(placeKey(lane.id, id));
      return own ? { lane: lane.letter, chain: laneWords(lane), spot: name, values: own } : [];
    }),
  );
  return new Blob([laneMeasuresCsv(found, { unit, perSample: scale })], { type: "text/csv" });
}
