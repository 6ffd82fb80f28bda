"use client";

import type { KeyboardEvent, MouseEvent, PointerEvent } from "react";
import { useState } from "react";
import { useDrag } from "../useDrag";

interface Place {
  x: number;
  y: number;
}

interface Moving {
  at: Place;
  /** Px of the screen to one of the picture. */
  scale: number;
  /** Of the picture, which is not left. */
  size: { width: number; height: number };
  /** Px of the picture that an arrow key moves it, and with Shift. */
  steps: readonly [number, number];
  onMove: (to: Place) => void;
  onRemove: () => void;
}

/**
 * Where something placed on the picture lies while it is dragged, and what moves or removes it:
 * pointer, arrow keys, Delete, double click.
 */
export function useMoved({ at, scale, size, steps, onMove, onRemove }: Moving) {
  const [dragged, setDragged] = useState<Place | null>(null);
  const clamp = (value: number, most: number) => Math.min(most - 1, Math.max(0, value));
  const within = (x: number, y: number): Place => ({ x: clamp(x, size.width), y: clamp(y, size.height) });
  const drag = useDrag(
    () => at,
    (from, { fromX, fromY }) => setDragged(within(from.x + fromX / scale, from.y + fromY / scale)),
    () => {
      if (dragged) onMove(dragged);
      setDragged(null);
    },
  );
  return {
    place: dragged ?? at,
    handlers: {
      ...drag,
      onPointerDown: (event: PointerEvent) => {
        event.stopPropagation();
        drag.onPointerDown(event);
      },
      onDoubleClick: (event: MouseEvent) => {
        event.stopPropagation();
        onRemove();
      },
      onKeyDown: (event: KeyboardEvent) => {
        const step = steps[event.shiftKey ? 1 : 0];
        const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
          event.key
        ];
        if (event.key === "Delete") onRemove();
        if (!by) return;
        event.preventDefault();
        event.stopPropagation();
        onMove(within(at.x + by[0], at.y + by[1]));
      },
    },
  };
}
