"use client";

import type { Lane } from "@/storage";
import { LaneChip } from "./laneHeader";

/** A lane that takes part, or not; with a reason it cannot. */
export function LaneTick({
  lane,
  isIn,
  whyNot = null,
  onToggle,
}: {
  lane: Lane;
  isIn: boolean;
  whyNot?: string | null;
  onToggle: () => void;
}) {
  return (
    <button
      type="button"
      role="checkbox"
      aria-checked={isIn}
      aria-label={`Lane ${lane.letter} takes part`}
      title={whyNot ?? `Lane ${lane.letter} takes part, or not`}
      disabled={whyNot !== null}
      className={isIn ? "" : "opacity-30"}
      onClick={onToggle}
    >
      <LaneChip letter={lane.letter} />
    </button>
  );
}

/** A list with an id in it, or no more. */
export const toggled = (ids: readonly string[], id: string): readonly string[] =>
  ids.includes(id) ? ids.filter((one) => one !== id) : [...ids, id];
