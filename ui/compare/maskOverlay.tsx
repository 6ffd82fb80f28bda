"use client";

import type { MouseEvent, PointerEvent } from "react";
import { useLayoutEffect, useMemo, useRef } from "react";
import { chainOfMask } from "@/core/chain";
import type { Corner, Mask } from "@/core/mask";
import { ellipseCorners, findMaskKind, MOST_CORNERS } from "@/core/mask";
import type { Raster } from "@/core/raster";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import { changeMask } from "@/state/masks";
import type { Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { useCrop } from "../viewer/useCrop";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import { useDesk, useDeskStore } from "./desk";
import { useLaneTreatment } from "./useTreatment";

interface Props {
  mask: Mask;
  stack: StackRecord;
  toPicture: Warp;
  view: CellView;
  affinity: string;
}

/** A mask over a crop: what it leaves out lies in shadow, a line runs where it is half. */
export function MaskOverlay({ mask, stack, toPicture, view, affinity }: Props) {
  const session = useSession();
  const { region, reduce, onto, left, top, scale } = view;
  const shows: Lane = useMemo(
    () => ({
      id: "mask",
      letter: "A",
      stackId: stack.id,
      steps: chainOfMask(mask).map((step, k) => ({ ...step, id: `mask${k}` })),
    }),
    [stack.id, mask],
  );
  const { treatment } = useLaneTreatment(shows);
  const options = { priority: PRIORITY.interaction, affinity, onto };
  const { shown } = useCrop(session.crops, isEmptyRegion(region) ? null : treatment, region, reduce, options);
  const canvas = useRef<HTMLCanvasElement>(null);
  const raster = shown?.raster ?? null;
  useLayoutEffect(() => {
    if (canvas.current && raster) paintMask(canvas.current, raster);
  }, [raster]);
  return (
    <>
      <canvas
        ref={canvas}
        data-mask-shown={shown !== null}
        className={`pointer-events-none absolute ${scale >= 1 ? "pixels" : ""}`}
        style={
          shown
            ? {
                left: (shown.region.x - left) * scale,
                top: (shown.region.y - top) * scale,
                width: shown.raster.width * shown.reduce * scale,
                height: shown.raster.height * shown.reduce * scale,
              }
            : { display: "none" }
        }
      />
      <Outlines mask={mask} toPicture={toPicture} view={view} />
    </>
  );
}

const SHADOW = 0.62;
const LINE = [0xe0, 0xa4, 0x4a];

function paintMask(canvas: HTMLCanvasElement, { width, height, planes: [values] }: Raster): void {
  canvas.width = width;
  canvas.height = height;
  const context = canvas.getContext("2d");
  if (!context) return;
  const image = context.createImageData(width, height);
  for (let i = 0; i < values.length; i++) {
    const isIn = values[i] >= 0.5;
    const edge =
      isIn &&
      ((i % width > 0 && values[i - 1] < 0.5) ||
        (i % width < width - 1 && values[i + 1] < 0.5) ||
        values[i - width] < 0.5 ||
        values[i + width] < 0.5);
    if (edge) image.data.set([...LINE, 160], 4 * i);
    else image.data[4 * i + 3] = 255 * SHADOW * (1 - values[i]);
  }
  context.putImageData(image, 0, 0);
}

/** Nearer corners, in px of the screen, than these are not kept of a line drawn free hand. */
const LEAST_PX = 3;

/** Outlines of a mask with their handles; while one is drawn, the drawing. */
function Outlines({ mask, toPicture, view }: { mask: Mask; toPicture: Warp; view: CellView }) {
  const session = useSession();
  const desk = useDeskStore();
  const drawing = useDesk((state) => state.drawing);
  const draft = useDesk((state) => state.draft);
  const held = useRef<{ handle: number; part: number; last: Corner } | null>(null);
  const { toCell, toProject } = cellPlaces(view, toPicture);
  const isDrawing = drawing !== null && drawing < mask.parts.length;
  const way = isDrawing ? findMaskKind(mask.parts[drawing].kind)?.drawn : null;
  const at = (event: PointerEvent): Corner => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return toProject(event.clientX - bounds.left, event.clientY - bounds.top);
  };
  const setOutline = (k: number, outline: readonly Corner[], group: string | null) => {
    const kept = outline.slice(0, MOST_CORNERS).map(([x, y]) => [x, y] as [number, number]);
    const parts = mask.parts.map((part, i) => (i === k ? { ...part, outline: kept } : part));
    session.board.change((b) => changeMask(b, { ...mask, parts }), group);
  };
  const finish = (outline: readonly Corner[]) => {
    if (drawing !== null && outline.length >= 3) setOutline(drawing, outline, null);
    desk.setState({ drawing: null, draft: [] });
  };
  const ellipse = (from: Corner, to: Corner): Corner[] => {
    const [rx, ry] = [Math.abs(to[0] - from[0]), Math.abs(to[1] - from[1])].map((r) => Math.max(1, r));
    return [from, [from[0] + rx, from[1]], [from[0], from[1] + ry]];
  };
  const path = (corners: readonly Corner[]) => corners.map((corner) => toCell(corner).join(",")).join(" ");
  const shape = (kind: string | null | undefined, corners: readonly Corner[]) =>
    kind === "ellipse" && corners.length === 3 ? ellipseCorners(corners) : corners;

  const draw = {
    onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
      if (event.button !== 0 || !way) return;
      event.stopPropagation();
      if (way === "corners") return desk.setState({ draft: [...draft, at(event)] });
      event.currentTarget.setPointerCapture(event.pointerId);
      desk.setState({ draft: [at(event)] });
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      if (!way || way === "corners" || draft.length === 0) return;
      const here = at(event);
      if (way === "ellipse") return desk.setState({ draft: ellipse(draft[0], here) });
      const [x, y] = toCell(draft[draft.length - 1]);
      const [u, v] = toCell(here);
      if (Math.hypot(u - x, v - y) >= LEAST_PX) desk.setState({ draft: [...draft, here] });
    },
    onPointerUp: () => {
      if (way && way !== "corners") finish(draft);
    },
    // Its second press set the last corner twice.
    onDoubleClick: (event: MouseEvent) => {
      event.stopPropagation();
      if (way === "corners") finish(draft.slice(0, -1));
    },
  };
  const move = {
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      const { current } = held;
      if (!current) return;
      const here = at(event);
      const { outline, kind } = mask.parts[current.part];
      const by = [here[0] - current.last[0], here[1] - current.last[1]];
      held.current = { ...current, last: here };
      const isWhole = current.handle < 0 || (kind === "ellipse" && current.handle === 0);
      const next = outline.map(([x, y], i): Corner =>
        isWhole || i === current.handle ? [x + by[0], y + by[1]] : [x, y],
      );
      setOutline(current.part, next, `${mask.id}.outline`);
    },
    onPointerUp: () => {
      held.current = null;
    },
  };
  return (
    <svg
      className={`absolute inset-0 h-full w-full ${isDrawing ? "z-10 cursor-crosshair" : "pointer-events-none"}`}
      aria-hidden
      data-drawing={isDrawing}
      {...(isDrawing ? draw : move)}
    >
      {mask.parts.map((part, k) =>
        part.outline.length > 0 && !(isDrawing && drawing === k) ? (
          <g key={k}>
            <polygon points={path(shape(part.kind, part.outline))} fill="none" stroke="#e8e8e8" strokeDasharray="4 3" />
            {isDrawing
              ? null
              : handlesOf(part.kind, part.outline).map(({ handle, place }) => {
                  const [x, y] = toCell(place);
                  return (
                    <rect
                      key={handle}
                      data-handle={handle}
                      className="pointer-events-auto cursor-move"
                      {...{ x: x - 5, y: y - 5, width: 10, height: 10 }}
                      fill={handle < 0 ? "#e0a44a" : "#0d0d0d"}
                      stroke="#e8e8e8"
                      onPointerDown={(event) => {
                        event.stopPropagation();
                        const svg = event.currentTarget.ownerSVGElement;
                        svg?.setPointerCapture(event.pointerId);
                        held.current = { handle, part: k, last: place };
                      }}
                    />
                  );
                })}
          </g>
        ) : null,
      )}
      {isDrawing && draft.length > 0 ? (
        <polyline points={path(shape(way, draft))} fill="none" stroke="#e0a44a" strokeWidth={1.5} />
      ) : null}
    </svg>
  );
}

/** More corners than this are not moved one by one. */
const MOST_HANDLES = 24;

/** Corners that can be moved, by their index, and −1 for one in the middle that moves all. */
function handlesOf(kind: string, outline: readonly Corner[]): { handle: number; place: Corner }[] {
  const each = outline.map((place, handle) => ({ handle, place }));
  if (kind === "ellipse") return each;
  const middle: Corner = [0, 1].map(
    (axis) => outline.reduce((sum, corner) => sum + corner[axis], 0) / outline.length,
  ) as unknown as Corner;
  return [{ handle: -1, place: middle }, ...(outline.length <= MOST_HANDLES ? each : [])];
}
