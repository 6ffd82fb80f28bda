"use client";

import { useRef, useState } from "react";
import type { FrameUnit } from "@/core/formats";
import { levelUnit } from "../kit/format";
import type { SkyBox } from "@/core/measure";

interface Props {
  boxes: SkyBox[];
  /** Median of the current frame in each box, as share of full scale; missing where it is not known yet. */
  levels: (number | null)[];
  unit: FrameUnit;
  toScreen: (x: number, y: number) => [number, number];
  scale: number;
  size: { width: number; height: number };
  onChange: (boxes: SkyBox[]) => void;
}

/** Boxes of empty sky: dragged to where they shall be, their level beside them; a double click removes one. */
export function BoxOverlay({ boxes, levels, unit, toScreen, scale, size, onChange }: Props) {
  const [dragged, setDragged] = useState<{ id: string; x: number; y: number } | null>(null);
  const from = useRef<{ x: number; y: number; box: SkyBox } | null>(null);
  const shown = levelUnit(unit);
  const clamp = (value: number, most: number) => Math.min(most - 1, Math.max(0, value));
  return (
    <>
      {boxes.map((box, i) => {
        const at = dragged?.id === box.id ? dragged : box;
        const [x, y] = toScreen(at.x, at.y);
        const side = Math.max(8, box.side * scale);
        const level = levels[i];
        const move = (dx: number, dy: number) =>
          onChange(
            boxes.map((other) =>
              other.id === box.id
                ? {
                    ...box,
                    x: clamp(Math.round(box.x + dx), size.width),
                    y: clamp(Math.round(box.y + dy), size.height),
                  }
                : other,
            ),
          );
        return (
          <div
            key={box.id}
            role="button"
            tabIndex={0}
            aria-label={`Sky box ${i + 1}`}
            data-help="Drag to a place without stars; arrow keys move it; a double click removes it"
            className="absolute cursor-move border border-good bg-[#7fb38a14] focus:border-accent"
            style={{ left: x - side / 2, top: y - side / 2, width: side, height: side }}
            onPointerDown={(event) => {
              event.stopPropagation();
              event.currentTarget.setPointerCapture(event.pointerId);
              from.current = { x: event.clientX, y: event.clientY, box };
            }}
            onPointerMove={(event) => {
              const start = from.current;
              if (!start) return;
              setDragged({
                id: box.id,
                x: clamp(start.box.x + (event.clientX - start.x) / scale, size.width),
                y: clamp(start.box.y + (event.clientY - start.y) / scale, size.height),
              });
            }}
            onPointerUp={() => {
              from.current = null;
              if (dragged)
                onChange(
                  boxes.map((other) =>
                    other.id === box.id ? { ...box, x: Math.round(dragged.x), y: Math.round(dragged.y) } : other,
                  ),
                );
              setDragged(null);
            }}
            onDoubleClick={(event) => {
              event.stopPropagation();
              onChange(boxes.filter(({ id }) => id !== box.id));
            }}
            onKeyDown={(event) => {
              const step = event.shiftKey ? 20 : 4;
              const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
                event.key
              ];
              if (event.key === "Delete") onChange(boxes.filter(({ id }) => id !== box.id));
              if (!by) return;
              event.preventDefault();
              event.stopPropagation();
              move(by[0], by[1]);
            }}
          >
            <span className="figures absolute top-full left-0 text-xs whitespace-nowrap text-good">
              {level === null || level === undefined ? "…" : `${(level * shown.scale).toFixed(1)} ${shown.unit}`}
            </span>
          </div>
        );
      })}
    </>
  );
}

interface Size {
  width: number;
  height: number;
}

const sideFor = ({ width, height }: Size): number => Math.max(16, Math.round(Math.min(width, height) / 14));

export const middleBox = (size: Size): SkyBox => ({
  id: crypto.randomUUID(),
  x: Math.round(size.width / 2),
  y: Math.round(size.height / 2),
  side: sideFor(size),
});

/** Boxes near the four corners, where none were placed yet. */
export function firstBoxes(size: Size): SkyBox[] {
  const { width, height } = size;
  const side = sideFor(size);
  return [
    [0.12, 0.14],
    [0.88, 0.14],
    [0.12, 0.86],
    [0.88, 0.86],
  ].map(([u, v]) => ({ id: crypto.randomUUID(), x: Math.round(u * width), y: Math.round(v * height), side }));
}
