"use client";

import { useEffect, useRef } from "react";
import { rejectedCounts } from "@/state/rejectedMap";
import type { StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";

/** Counts from which on a block is drawn in full. */
const FULL = 48;
const ABOVE = [240, 200, 80];
const BELOW = [95, 176, 224];

/** The blocks in which samples of a sub were rejected, drawn over the stack: yellow above the others, blue below. */
export function RejectedMap({
  stack,
  subId,
  toScreen,
  scale,
}: {
  stack: StackRecord;
  subId: string;
  toScreen: (x: number, y: number) => [number, number];
  scale: number;
}) {
  const session = useSession();
  const canvas = useRef<HTMLCanvasElement>(null);
  const { blocks } = stack.report;
  const answer = useAnswer({ stackId: stack.id, subId }, 0, () =>
    rejectedCounts(session.files, stack, subId).catch((error: unknown) => {
      session.report(error);
      throw error;
    }),
  );
  const counts = answer.isCurrent ? answer.value : null;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !counts || !blocks) return;
    const picture = context.createImageData(blocks.columns, blocks.rows);
    for (let b = 0; b < blocks.columns * blocks.rows; b++) {
      const [above, below] = [counts.above[b], counts.below[b]];
      if (above + below === 0) continue;
      const colour = above >= below ? ABOVE : BELOW;
      const opacity = 0.12 + 0.73 * Math.min(1, (above + below) / FULL);
      picture.data.set([...colour, 255 * opacity], 4 * b);
    }
    context.putImageData(picture, 0, 0);
  }, [counts, blocks]);
  if (!blocks) return null;
  const [pictureLeft, pictureTop] = toScreen(-0.5, -0.5);
  const { width, height } = stack.facts;
  return (
    // The last blocks reach beyond the picture.
    <div
      className="pointer-events-none absolute overflow-hidden"
      style={{ left: pictureLeft, top: pictureTop, width: width * scale, height: height * scale }}
    >
      <canvas
        ref={canvas}
        width={blocks.columns}
        height={blocks.rows}
        data-testid="rejected-map"
        data-ready={counts !== null}
        className="absolute max-w-none"
        style={{
          left: blocks.left * scale,
          top: blocks.top * scale,
          width: blocks.columns * blocks.px * scale,
          height: blocks.rows * blocks.px * scale,
          imageRendering: "pixelated",
        }}
      />
    </div>
  );
}
