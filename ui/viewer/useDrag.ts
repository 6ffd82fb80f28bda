"use client";

import type { PointerEvent } from "react";
import { useRef } from "react";

/** A drag that goes on: pointer and how far it went, since the last move and since the start, in px of the screen. */
export interface Dragged {
  dx: number;
  dy: number;
  fromX: number;
  fromY: number;
}

/**
 * Handlers of an element that is dragged with the main button. `start` gives what the drag is
 * measured from (null: no drag), `move` hears of every
 * move with it, `end` of the end.
 */
export function useDrag<T>(
  start: (event: PointerEvent) => T | null,
  move: (from: T, by: Dragged) => void,
  end?: () => void,
) {
  const drag = useRef<{ from: T; x: number; y: number; lastX: number; lastY: number } | null>(null);
  return {
    onPointerDown: (event: PointerEvent) => {
      if (event.button !== 0) return;
      const from = start(event);
      if (from === null) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      const { clientX: x, clientY: y } = event;
      drag.current = { from, x, y, lastX: x, lastY: y };
    },
    onPointerMove: (event: PointerEvent) => {
      const at = drag.current;
      if (!at) return;
      const { clientX: x, clientY: y } = event;
      const by = { dx: x - at.lastX, dy: y - at.lastY, fromX: x - at.x, fromY: y - at.y };
      drag.current = { ...at, lastX: x, lastY: y };
      if (by.dx !== 0 || by.dy !== 0) move(at.from, by);
    },
    onPointerUp: () => {
      if (!drag.current) return;
      drag.current = null;
      end?.();
    },
  };
}
