"use client";

import { extent, max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { X } from "lucide-react";
import type { PointerEvent } from "react";
import { useEffect, useRef } from "react";
import type { Corner } from "@/core/mask";
import type { Warp } from "@/core/register";
import type { Board, StackRecord } from "@/storage";
import { useProjectScale } from "../frame/session";
import { IconButton } from "../kit/button";
import { fixed, levelUnit } from "../kit/format";
import { laneColour } from "../kit/laneColours";
import { useUnchanged } from "../kit/useUnchanged";
import type { CropResult } from "../viewer/useCrop";
import { useSize } from "../viewer/useSize";
import { useDesk, useDeskStore } from "./desk";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import type { LaneView } from "./useLaneCrop";

/** Shorter than this, px of the screen, a drawn line is a click: then it goes through the place, so many px of the picture to each side. */
const [CLICK_PX, AROUND] = [4, 12];

/** Handlers that draw a line with Shift held; `isDrawing` while one is drawn. */
export function useLineDrawing(seen: CellView, toPicture: Warp, spotId: string) {
  const desk = useDeskStore();
  const from = useRef<{ place: Corner; x: number; y: number } | null>(null);
  const at = (event: PointerEvent): Corner => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return cellPlaces(seen, toPicture).toProject(event.clientX - bounds.left, event.clientY - bounds.top);
  };
  return {
    isDrawing: () => from.current !== null,
    start: (event: PointerEvent) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      from.current = { place: at(event), x: event.clientX, y: event.clientY };
    },
    move: (event: PointerEvent) => {
      if (from.current) desk.setState({ line: { from: from.current.place, to: at(event), spotId }, profiles: {} });
    },
    end: (event: PointerEvent) => {
      const { current } = from;
      from.current = null;
      if (!current || Math.hypot(event.clientX - current.x, event.clientY - current.y) >= CLICK_PX) return;
      const [x, y] = current.place;
      desk.setState({ line: { from: [x - AROUND, y], to: [x + AROUND, y], spotId }, profiles: {} });
    },
  };
}

/** The line on a crop of its spot; what the lane has along it goes to the chart. */
export function LineOverlay({
  view: { lane, toPicture },
  spotId,
  seen,
  shown,
}: {
  view: LaneView;
  spotId: string;
  seen: CellView;
  shown: CropResult | null;
}) {
  const desk = useDeskStore();
  const line = useDesk((state) => state.line);
  const isHere = line?.spotId === spotId;
  const cell = useUnchanged(seen);
  useEffect(() => {
    if (!isHere || !shown) return;
    const { toCell } = cellPlaces(cell, toPicture);
    const values = valuesAlong(shown, cell, toCell(line.from), toCell(line.to));
    const length = Math.hypot(line.to[0] - line.from[0], line.to[1] - line.from[1]);
    desk.setState(({ profiles }) => ({
      profiles: { ...profiles, [lane.id]: { letter: lane.letter, values, length } },
    }));
  }, [desk, line, isHere, shown, lane.id, lane.letter, toPicture, cell]);
  if (!isHere) return null;
  const { toCell } = cellPlaces(seen, toPicture);
  const [[x1, y1], [x2, y2]] = [toCell(line.from), toCell(line.to)];
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
      <line {...{ x1, y1, x2, y2 }} stroke="#e0a44a" />
    </svg>
  );
}

/** Light (mean of the channels) at even steps of about a pixel between two places of the cell; NaN where there is none. */
function valuesAlong(
  { raster, region, reduce }: CropResult,
  { left, top, scale }: CellView,
  [x1, y1]: Corner,
  [x2, y2]: Corner,
): number[] {
  const inRaster = (px: number, edge: number, start: number) => (px / scale + edge - start) / reduce - 0.5;
  const count = Math.max(2, Math.ceil(Math.hypot(x2 - x1, y2 - y1) / scale / reduce) + 1);
  return Array.from({ length: count }, (_, k) => {
    const share = k / (count - 1);
    const [x, y] = [inRaster(x1 + share * (x2 - x1), left, region.x), inRaster(y1 + share * (y2 - y1), top, region.y)];
    const [u, v] = [Math.floor(x), Math.floor(y)];
    if (u < 0 || v < 0 || u + 1 >= raster.width || v + 1 >= raster.height) return NaN;
    const [p, q] = [x - u, y - v];
    const i = v * raster.width + u;
    return (
      raster.planes.reduce(
        (sum, plane) =>
          sum +
          (1 - q) * ((1 - p) * plane[i] + p * plane[i + 1]) +
          q * ((1 - p) * plane[i + raster.width] + p * plane[i + raster.width + 1]),
        0,
      ) / raster.channels
    );
  });
}

const HEIGHT = 132;
const ROOM = { left: 56, right: 12, top: 8, bottom: 18 };

/** What all lanes have along the line, in one chart. */
export function ProfileChart({ board, first }: { board: Board; first: StackRecord }) {
  // Its size is measured from where it is, so it is there only with a line.
  return useDesk((state) => state.line) ? <Chart board={board} first={first} /> : null;
}

function Chart({ board, first }: { board: Board; first: StackRecord }) {
  const desk = useDeskStore();
  const profiles = useDesk((state) => state.profiles);
  const { box, size } = useSize();
  const { width } = size;
  const arcsec = useProjectScale();
  const { unit, scale, digits } = levelUnit(first.facts.unit);
  const shown = board.lanes.flatMap(({ id }) => profiles[id] ?? []);
  const values = shown.flatMap((profile) => profile.values.filter(Number.isFinite).map((v) => v * scale));
  const [low = 0, high = 1] = extent(values);
  const length = max(shown, (profile) => profile.length) ?? 1;
  const x = scaleLinear([0, length], [ROOM.left, Math.max(ROOM.left + 1, width - ROOM.right)]);
  const y = scaleLinear([low, high > low ? high : low + 1], [HEIGHT - ROOM.bottom, ROOM.top]);
  const path = (of: readonly number[]): string => {
    let isOn = false;
    return of
      .map((v, k) => {
        if (!Number.isFinite(v)) return ((isOn = false), "");
        const point = `${isOn ? "L" : "M"}${x((k / (of.length - 1)) * length)},${y(v * scale)}`;
        isOn = true;
        return point;
      })
      .join("");
  };
  return (
    <section
      ref={box}
      className="relative shrink-0 border-t border-line bg-panel"
      aria-label="Profile"
      data-testid="profile"
    >
      <svg width={width} height={HEIGHT} role="img" aria-label="Light of all lanes along the line">
        {x.ticks(8).map((tick) => (
          <text key={tick} x={x(tick)} y={HEIGHT - 5} textAnchor="middle" className="figures fill-quiet text-[11px]">
            {tick} px{arcsec ? ` · ${fixed(tick * arcsec, 1)}″` : ""}
          </text>
        ))}
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <line x1={ROOM.left} x2={width - ROOM.right} y1={y(tick)} y2={y(tick)} stroke="#2b2b2b" />
            <text x={ROOM.left - 4} y={y(tick) + 4} textAnchor="end" className="figures fill-quiet text-[11px]">
              {fixed(tick, tick % 1 === 0 ? 0 : digits)}
            </text>
          </g>
        ))}
        {shown.map(({ letter, values: of }) => {
          const { colour, dashed } = laneColour(letter);
          return (
            <path
              key={letter}
              data-profile={letter}
              d={path(of)}
              fill="none"
              stroke={colour}
              strokeWidth={1.5}
              strokeDasharray={dashed ? "4 3" : undefined}
            >
              <title>Lane {letter}</title>
            </path>
          );
        })}
      </svg>
      <span className="absolute top-1 left-1 text-xs text-quiet">{unit}</span>
      <IconButton
        label="Close the profile"
        className="absolute top-1 right-1"
        onClick={() => desk.setState({ line: null, profiles: {} })}
      >
        <X size={14} />
      </IconButton>
    </section>
  );
}
