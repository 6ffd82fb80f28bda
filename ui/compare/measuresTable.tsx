"use client";

import { extent } from "d3-array";
import { scaleLinear } from "d3-scale";
import { Download, X } from "lucide-react";
import { useMemo, useState } from "react";
import type { LaneMeasures, Measure, MeasureGroup } from "@/core/compare";
import { laneMeasuresCsv, MEASURE_GROUPS, MEASURES } from "@/core/compare";
import { rungsOf } from "@/state/ladder";
import type { Board, Lane, StackRecord } from "@/storage";
import { download } from "../finish/download";
import { useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed, levelUnit } from "../kit/format";
import { laneColour } from "../kit/laneColours";
import { labelPlaces } from "./labelPlaces";
import { LaneChip, laneWords } from "./laneHeader";
import { placeKey, useLaneMeasures } from "./useLaneMeasures";

const ALL = "all";
const GROUP_WORDS: Record<MeasureGroup, string> = {
  noise: "of noise",
  detail: "of detail",
  stars: "of stars",
  evidence: "of evidence",
};
/** Id of the row of the stack as it is, where no lane is that. */
const UNTOUCHED = "untouched";

interface RowOf {
  lane: Lane;
  /** Value of the ladder's setting. */
  rung: number | null;
  /** Value of a grid's second setting. */
  second: number | null;
  values: LaneMeasures;
}

/** Lanes (or the rungs of a ladder) against measures, the best of each marked, with a chart of any two. */
export function MeasuresTable({ board, first }: { board: Board; first: StackRecord }) {
  const session = useSession();
  const rows = useRows(board);
  const [spotId, setSpotId] = useState(ALL);
  const [group, setGroup] = useState<MeasureGroup | typeof ALL>(ALL);
  const measures = MEASURES.filter((measure) => group === ALL || measure.group === group);
  const [sort, setSort] = useState<{ id: string; down: boolean } | null>(null);
  const { values, left } = useLaneMeasures(
    useMemo(() => rows.map(({ lane }) => lane), [rows]),
    board,
  );
  const spots = board.spots.filter(({ id }) => spotId === ALL || id === spotId);
  const told: RowOf[] = rows.map((row) => ({
    ...row,
    values: meanOf(spots.map(({ id }) => values.get(placeKey(row.lane.id, id)) ?? {})),
  }));
  const sorted = sort ? sortedBy(told, sort) : told;
  const { unit, scale, digits } = levelUnit(first.facts.unit);
  const shown = (measure: Measure, value: number | null): string =>
    measure.unit === "level" ? fixed(value === null ? null : value * scale, digits) : fixed(value, measure.digits);
  const unitOf = (measure: Measure): string => (measure.unit === "level" ? unit : measure.unit);
  const exportCsv = () =>
    download(
      "measures.csv",
      new Blob(
        [
          laneMeasuresCsv(
            rows.flatMap(({ lane }) =>
              board.spots.flatMap(({ id, name }) => {
                const found = values.get(placeKey(lane.id, id));
                return found ? { lane: lane.letter, chain: laneWords(lane), spot: name, values: found } : [];
              }),
            ),
            { unit, perSample: scale },
          ),
        ],
        { type: "text/csv" },
      ),
    );
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
                <th key={measure.id} className="max-w-20 px-2 py-1 text-right align-bottom font-normal">
                  <button
                    type="button"
                    title={`${measure.definition}.${measure.better ? ` ${measure.better === "less" ? "Less" : "More"} is better.` : ""}`}
                    className={`text-right font-sans leading-4 ${sort?.id === measure.id ? "text-text" : "text-quiet hover:text-text"}`}
                    onClick={() =>
                      setSort({
                        id: measure.id,
                        down: sort?.id === measure.id ? !sort.down : measure.better === "more",
                      })
                    }
                  >
                    {measure.label}
                    {unitOf(measure) ? <span className="text-xs"> {unitOf(measure)}</span> : null}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sorted.map(({ lane, rung, second, values: own }) => (
              <tr key={lane.id} data-row={lane.letter} className="border-t border-line">
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
                    {isBest(measure, lane, told, scale) ? (
                      <span className="text-good" title="The best of all lanes">
                        {shown(measure, own[measure.id] ?? null)}
                      </span>
                    ) : (
                      shown(measure, own[measure.id] ?? null)
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {left > 0 ? <p className="px-2 py-1 text-sm text-quiet">Measuring: {left} places to go</p> : null}
      </div>
      <Chart rows={told} setting={board.ladder?.field ?? null} unitOf={unitOf} levelScale={scale} />
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

/** The lanes, or the rungs of the ladder that lies open; and the stack as it is, where no lane is. */
function useRows(board: Board): Omit<RowOf, "values">[] {
  return useMemo(() => {
    const rungs = rungsOf(board).map(({ lane, value, second }) => ({ lane, rung: value, second }));
    const plain = (lane: Lane) => ({ lane, rung: null, second: null });
    const rows = rungs.length > 0 ? rungs : board.lanes.map(plain);
    if (rows.some(({ lane }) => lane.steps.every(({ on }) => !on)) || !rows[0]) return rows;
    return [...rows, plain({ id: UNTOUCHED, letter: "–", stackId: rows[0].lane.stackId, steps: [] })];
  }, [board]);
}

/** The mean of each measure over places; null where none has it. */
function meanOf(places: readonly LaneMeasures[]): LaneMeasures {
  return Object.fromEntries(
    MEASURES.map(({ id }) => {
      const known = places.flatMap((values) => values[id] ?? []);
      return [id, known.length > 0 ? known.reduce((sum, v) => sum + v, 0) / known.length : null];
    }),
  );
}

function sortedBy(rows: RowOf[], { id, down }: { id: string; down: boolean }): RowOf[] {
  const last = down ? -Infinity : Infinity;
  const value = ({ values }: RowOf): number => values[id] ?? last;
  return [...rows].sort((a, b) => (down ? value(b) - value(a) : value(a) - value(b)));
}

/** Whether a lane is best in a measure; of several alike none is. */
function isBest(
  { id, unit, better, digits }: Measure,
  lane: Lane,
  rows: readonly RowOf[],
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

const [WIDTH, HEIGHT] = [250, 168];
const ROOM = { left: 40, right: 12, top: 8, bottom: 18 };

/** Any two measures against one another, lanes as points; of a ladder, any over its setting. */
function Chart({
  rows,
  setting,
  unitOf,
  levelScale,
}: {
  rows: RowOf[];
  setting: string | null;
  unitOf: (measure: Measure) => string;
  levelScale: number;
}) {
  const [axes, setAxes] = useState({ x: "noiseDb", y: "detail" });
  const [isOverSetting, setOverSetting] = useState(true);
  const overSetting = setting !== null && isOverSetting;
  const read = (id: string, { values }: RowOf): number | null => {
    const value = values[id] ?? null;
    return value !== null && MEASURES.find((one) => one.id === id)?.unit === "level" ? value * levelScale : value;
  };
  const points = rows.flatMap((row) => {
    const [x, y] = [overSetting ? row.rung : read(axes.x, row), read(axes.y, row)];
    return x === null || y === null ? [] : [{ row, x, y }];
  });
  const scaleOf = (values: number[], range: [number, number]) => {
    const [low = 0, high = 1] = extent(values);
    const room = high > low ? (high - low) * 0.08 : Math.abs(high) * 0.1 || 1;
    return scaleLinear([low - room, high + room], range);
  };
  const x = scaleOf(
    points.map((point) => point.x),
    [ROOM.left, WIDTH - ROOM.right],
  );
  const y = scaleOf(
    points.map((point) => point.y),
    [HEIGHT - ROOM.bottom, ROOM.top],
  );
  const letters = labelPlaces(points.map((point) => ({ x: x(point.x), y: y(point.y) })));
  const options = MEASURES.map((measure) => ({
    value: measure.id,
    label: `${measure.label}${unitOf(measure) ? `, ${unitOf(measure)}` : ""}`,
  }));
  return (
    <div className="flex w-[266px] shrink-0 flex-col border-l border-line p-2" data-testid="measures-chart">
      <div className="flex items-center gap-1 overflow-hidden text-sm">
        <Choice
          label="Measure upwards"
          value={axes.y}
          options={options}
          onChange={(id) => setAxes({ ...axes, y: id })}
        />
      </div>
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label="One measure over another">
        {x.ticks(4).map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={ROOM.top} y2={HEIGHT - ROOM.bottom} stroke="#2b2b2b" />
            <text x={x(tick)} y={HEIGHT - 5} textAnchor="middle" className="figures fill-quiet text-[11px]">
              {tick}
            </text>
          </g>
        ))}
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <line x1={ROOM.left} x2={WIDTH - ROOM.right} y1={y(tick)} y2={y(tick)} stroke="#2b2b2b" />
            <text x={ROOM.left - 4} y={y(tick) + 4} textAnchor="end" className="figures fill-quiet text-[11px]">
              {tick}
            </text>
          </g>
        ))}
        {overSetting
          ? [...new Set(points.map(({ row }) => row.second))].map((second) => (
              <polyline
                key={second}
                points={points
                  .filter(({ row }) => row.second === second)
                  .map((point) => `${x(point.x)},${y(point.y)}`)
                  .join(" ")}
                fill="none"
                stroke="#a3a3a3"
              />
            ))
          : null}
        {points.map((point, k) => (
          <g key={point.row.lane.id} transform={`translate(${x(point.x)},${y(point.y)})`}>
            <circle
              r={3.5}
              fill={point.row.lane.id === UNTOUCHED ? "#a3a3a3" : laneColour(point.row.lane.letter).colour}
            />
            {overSetting ? null : (
              <text x={letters[k][0]} y={letters[k][1]} className="fill-text text-[11px]">
                {point.row.lane.letter}
              </text>
            )}
          </g>
        ))}
      </svg>
      <div className="flex items-center justify-end gap-1 overflow-hidden text-sm">
        {setting === null ? null : (
          <Choice
            label="What lies along"
            value={overSetting ? "setting" : "measure"}
            options={[
              { value: "setting", label: setting },
              { value: "measure", label: "a measure" },
            ]}
            onChange={(value) => setOverSetting(value === "setting")}
          />
        )}
        {overSetting ? null : (
          <Choice
            label="Measure along"
            value={axes.x}
            options={options}
            onChange={(id) => setAxes({ ...axes, x: id })}
          />
        )}
      </div>
    </div>
  );
}
