"use client";

import type { PointerEvent } from "react";
import type { Spot } from "@/core/compare";
import type { Warp } from "@/core/register";
import { fixed, levelUnit } from "../kit/format";
import type { CropResult } from "../viewer/useCrop";
import { useProjectScale } from "../frame/session";
import { useDesk, useDeskStore } from "./desk";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import type { useLineDrawing } from "./profile";
import type { LaneView } from "./useLaneCrop";
import { lightSigma } from "./useLaneCrop";

/** Tells all crops which place lies under the pointer. */
export function usePointing(seen: CellView, toPicture: Warp) {
  const desk = useDeskStore();
  return {
    onPointerMove: (event: PointerEvent) => {
      const bounds = event.currentTarget.getBoundingClientRect();
      const place = cellPlaces(seen, toPicture).toProject(event.clientX - bounds.left, event.clientY - bounds.top);
      desk.setState({ pointer: place });
    },
    onPointerLeave: () => desk.setState({ pointer: null }),
  };
}

/** Handlers of a crop that is dragged and pointed at; with Shift held a line is drawn on it instead. */
export function pointing(
  drag: Record<"onPointerDown" | "onPointerMove", (event: PointerEvent) => void> & { onPointerUp: () => void },
  point: ReturnType<typeof usePointing>,
  line: ReturnType<typeof useLineDrawing>,
) {
  return {
    ...point,
    onPointerDown: (event: PointerEvent) => {
      if (event.shiftKey && event.button === 0) line.start(event);
      else drag.onPointerDown(event);
    },
    onPointerMove: (event: PointerEvent) => {
      if (line.isDrawing()) line.move(event);
      else drag.onPointerMove(event);
      point.onPointerMove(event);
    },
    onPointerUp: (event: PointerEvent) => {
      if (line.isDrawing()) line.end(event);
      else drag.onPointerUp();
    },
  };
}

/** The place under the pointer, marked in every crop, with what each lane has there: by channel, and above the sky in σ of the stack's noise. */
export function PointerReadout({
  lane: { stack, toPicture },
  spot = null,
  seen,
  shown,
}: {
  lane: LaneView;
  /** From which the distance is measured; null for none. */
  spot?: Spot | null;
  seen: CellView;
  shown: CropResult | null;
}) {
  const pointer = useDesk((desk) => desk.pointer);
  const arcsec = useProjectScale();
  if (!pointer || !shown) return null;
  const { toCell } = cellPlaces(seen, toPicture);
  const [u, v] = toCell(pointer);
  const values = valuesAt(shown, seen, u, v);
  if (!values) return null;
  const { unit, scale, digits } = levelUnit(stack.facts.unit);
  const sigma = lightSigma(stack.facts);
  const light = values.reduce((sum, value) => sum + value, 0) / values.length;
  const apart = spot && Math.hypot(pointer[0] - spot.x, pointer[1] - spot.y);
  const ground = shown.isNoise ? 0 : stack.facts.skyLevel;
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
        <path d={`M${u - 9},${v} h5 M${u + 4},${v} h5 M${u},${v - 9} v5 M${u},${v + 4} v5`} stroke="#e0a44a" />
      </svg>
      <span
        data-testid="readout"
        className="figures pointer-events-none absolute bottom-0.5 left-1 rounded bg-page/80 px-1 text-xs text-text"
      >
        {values.map((value) => fixed(value * scale, digits)).join(" ")} {unit}
        {apart !== null && arcsec ? <span className="text-quiet"> · {fixed(apart * arcsec, 1)}″ off</span> : null}
        {sigma ? <span className="text-quiet"> · {fixed((light - ground) / sigma, 1)} σ</span> : null}
      </span>
    </>
  );
}

/** What a crop has at a place of the cell, by channel; null beyond it and where there is no data. */
function valuesAt(
  { raster, region, reduce }: CropResult,
  { left, top, scale }: CellView,
  u: number,
  v: number,
): number[] | null {
  const [x, y] = [u / scale + left - region.x, v / scale + top - region.y].map((at) => Math.floor(at / reduce));
  if (x < 0 || y < 0 || x >= raster.width || y >= raster.height) return null;
  const values = raster.planes.map((plane) => plane[y * raster.width + x]);
  return values.every(Number.isFinite) ? values : null;
}
