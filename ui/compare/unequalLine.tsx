"use client";

import { unequalThings } from "@/core/compare";
import type { Board, StackRecord } from "@/storage";
import { useDesk } from "./desk";

/** What makes the comparison of the lanes unfair, if anything does. */
export function UnequalLine({ board, stacks }: { board: Board; stacks: StackRecord[] }) {
  const clipped = useDesk((desk) => desk.clipped);
  const said = unequalThings(
    board.lanes.flatMap(({ id, letter, stackId, steps }) => {
      const stack = stacks.find(({ id }) => id === stackId);
      if (!stack) return [];
      return {
        letter,
        stackId,
        stackName: stack.name,
        integrationS: stack.report.integrationS || null,
        steps,
        // Of a spot that is gone nothing counts.
        clipped: board.spots.reduce((most, spot) => Math.max(most, clipped[id]?.[spot.id] ?? 0), 0),
      };
    }),
  );
  if (said.length === 0) return null;
  return (
    <p
      className="shrink-0 truncate border-b border-line bg-panel px-2 py-0.5 text-sm text-quiet"
      title={said.join("; ")}
      data-testid="unequal"
    >
      Unequal: {said.join("; ")}
    </p>
  );
}
