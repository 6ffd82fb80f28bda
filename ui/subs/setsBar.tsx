"use client";

import type { FrameSet, GradedFrame } from "@/core/choose";
import { Button } from "../kit/button";
import { duration } from "../kit/format";

interface Props {
  sets: readonly FrameSet<GradedFrame>[];
  /** Key of the set that is shown; null for all. */
  shown: string | null;
  onShow: (key: string | null) => void;
}

/** The sets of a project with their counts and integration times; nothing where there is one. */
export function SetsBar({ sets, shown, onShow }: Props) {
  if (sets.length < 2) return null;
  const all = {
    key: null,
    label: "All",
    frames: sets.flatMap(({ frames }) => frames),
    integrationS: sets.reduce((sum, { integrationS }) => sum + integrationS, 0),
  };
  return (
    <div className="flex shrink-0 flex-wrap gap-1 border-b border-line bg-panel px-2 py-1" data-testid="sets">
      {[all, ...sets].map(({ key, label, frames, integrationS }) => (
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
    </div>
  );
}
