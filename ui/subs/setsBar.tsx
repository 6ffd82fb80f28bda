"use client";

import type { FrameSet, GradedFrame } from "@/core/choose";
import { Button } from "../kit/button";
import { duration } from "../kit/format";
import { NumberField } from "../kit/setting";

interface Props {
  sets: readonly FrameSet<GradedFrame>[];
  /** Key of the set that is shown; null for all. */
  shown: string | null;
  onShow: (key: string | null) => void;
  /** How many frames of the most weight are flipped through; null for all. */
  heaviest: number | null;
  /** What the frames are ranked by: weight, or sharpness in a video. */
  rankedBy: "heaviest" | "sharpest";
  total: number;
  onHeaviest: (count: number | null) => void;
}

/** What the chip begins with. */
const FIRST_COUNT = 20;

/** The sets of a project with their counts and integration times, where there are several; and a chip that keeps the best frames of them. */
export function SetsBar({ sets, shown, onShow, heaviest, rankedBy, total, onHeaviest }: Props) {
  const all = {
    key: null,
    label: "All",
    frames: sets.flatMap(({ frames }) => frames),
    integrationS: sets.reduce((sum, { integrationS }) => sum + integrationS, 0),
  };
  return (
    <div className="flex shrink-0 flex-wrap gap-1 border-b border-line bg-panel px-2 py-1" data-testid="sets">
      {(sets.length < 2 ? [] : [all, ...sets]).map(({ key, label, frames, integrationS }) => (
        <Button
          key={key ?? "all"}
          aria-pressed={shown === key}
          className={shown === key ? "border-quiet" : "text-quiet"}
          onClick={() => onShow(key)}
        >
          {label}
          <span className="figures text-quiet">
            {frames.length} · {duration(integrationS)}
          </span>
        </Button>
      ))}
      <span className="flex items-center gap-1 text-quiet">
        <Button
          aria-pressed={heaviest !== null}
          help={`Flips only through the ${rankedBy} of these frames`}
          className={heaviest !== null ? "border-quiet" : "text-quiet"}
          onClick={() => onHeaviest(heaviest === null ? Math.min(FIRST_COUNT, total) : null)}
        >
          {rankedBy}
        </Button>
        <NumberField
          label={`How many of the ${rankedBy}`}
          min={1}
          max={Math.max(1, total)}
          step={1}
          value={Math.min(heaviest ?? FIRST_COUNT, Math.max(1, total))}
          onChange={onHeaviest}
        />
        only
      </span>
    </div>
  );
}
