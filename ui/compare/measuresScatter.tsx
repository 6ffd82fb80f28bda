"use client";

import { extent } from "d3-array";
import type { ScaleLinear } from "d3-scale";
import { scaleLinear } from "d3-scale";
import { useState } from "react";
import type { Measure } from "@/core/compare";
import { MEASURES } from "@/core/compare";
import { Choice } from "../kit/choice";
import { laneColour } from "../kit/laneColours";
import { labelPlaces } from "./labelPlaces";
import type { MeasureRow } from "./measureRows";
import { UNTOUCHED } from "./measureRows";

const [WIDTH, HEIGHT] = [250, 168];
const ROOM = { left: 40, right: 12, top: 8, bottom: 18 };

/** Any two measures against one another, lanes as points; of a ladder, any over its setting. */
export function MeasuresScatter({
  rows,
  setting,
  unitOf,
  levelScale,
}: {
  rows: MeasureRow[];
  setting: string | null;
  unitOf: (measure: Measure) => string;
  levelScale: number;
}) {
  const [axes, setAxes] = useState({ x: "noiseDb", y: "detail" });
  const [isOverSetting, setOverSetting] = useState(true);
  const overSetting = setting !== null && isOverSetting;
  const read = (id: string, { values }: MeasureRow): number | null => {
    const value = values[id] ?? null;
    return value !== null && MEASURES.find((one) => one.id === id)?.unit === "level" ? value * levelScale : value;
  };
  const points = rows.flatMap((row) => {
    const [x, y] = [overSetting ? row.rung : read(axes.x, row), read(axes.y, row)];
    return x === null || y === null ? [] : [{ row, x, y }];
  });
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
        <Axes x={x} y={y} />
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

/** A scale that holds all values, with a little room. */
function scaleOf(values: number[], range: [number, number]): ScaleLinear<number, number> {
  const [low = 0, high = 1] = extent(values);
  const room = high > low ? (high - low) * 0.08 : Math.abs(high) * 0.1 || 1;
  return scaleLinear([low - room, high + room], range);
}

/** Lines and figures of both axes. */
function Axes({ x, y }: { x: ScaleLinear<number, number>; y: ScaleLinear<number, number> }) {
  return (
    <>
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
    </>
  );
}
