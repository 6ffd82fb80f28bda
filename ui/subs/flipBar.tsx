"use client";

import { ChevronLeft, ChevronRight, Pause, Play } from "lucide-react";
import type { GradedFrame, Verdict } from "@/core/choose";
import { MEASURES, measureOf } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { Button, IconButton } from "../kit/button";
import { levelUnit } from "../kit/format";
import { TYPE_LABELS } from "./typeLabels";
import type { Prepared } from "./useFlip";

interface Props {
  current: SubRecord;
  frame: GradedFrame | null;
  verdict: Verdict | undefined;
  at: number;
  count: number;
  playing: boolean;
  prepared: Prepared | null;
  onStep: (by: number) => void;
  onPlay: () => void;
  onDecide: () => void;
}

/** The controls under the picture: going from frame to frame, leaving one out, and what is known of it. */
export function FlipBar({ current, frame, verdict, at, count, playing, prepared, onStep, onPlay, onDecide }: Props) {
  const included = verdict?.included !== false;
  const light = current.type === "light";
  const figures = frame
    ? MEASURES.filter(({ id }) => id === "gradient" || id === "patchDifference").flatMap(
        ({ id, label, unit, digits }) => {
          const value = measureOf(id).value(frame);
          return value === null ? [] : [`${label} ${value.toFixed(digits)} ${unit}`];
        },
      )
    : levelsOf(current);
  if (typeof frame?.measures.blank === "number") figures.push("borders of one value: no data");
  return (
    <div className="shrink-0 border-t border-line bg-panel">
      <div className="flex h-9 items-center gap-1.5 px-2">
        <IconButton label="Previous sub (←)" disabled={at <= 0} onClick={() => onStep(-1)}>
          <ChevronLeft size={16} />
        </IconButton>
        <IconButton label={playing ? "Stop playing (Space)" : "Play (Space)"} onClick={onPlay}>
          {playing ? <Pause size={14} /> : <Play size={14} />}
        </IconButton>
        <IconButton label="Next sub (→)" disabled={at >= count - 1} onClick={() => onStep(1)}>
          <ChevronRight size={16} />
        </IconButton>
        <span className="min-w-0 flex-1 truncate" data-testid="current-sub">
          {current.name}
          {light ? null : <span className="text-quiet"> · {TYPE_LABELS[current.type]}</span>}
          <span className="figures text-quiet">
            {" "}
            {at + 1} of {count}
          </span>
          {!included ? <span className="text-warn"> · left out</span> : null}
        </span>
        <Button
          help={
            included
              ? `Leaves this frame out of ${light ? "stacks" : "masters"} (O)`
              : "Takes this frame in again, whatever the rules say (O)"
          }
          onClick={onDecide}
        >
          {included ? "Leave out" : "Take in"}
        </Button>
      </div>
      <div className="flex h-6 items-center gap-3 border-t border-line px-2 text-sm text-quiet">
        <span className="figures min-w-0 flex-1 truncate " data-testid="gradients">
          {!included && verdict ? <span className="text-warn">{verdict.reasons.join("; ")} · </span> : null}
          {figures.join(" · ")}
        </span>
        <span
          className="figures shrink-0"
          data-testid="prepared"
          title="Frames that are ready to be flipped to at once"
        >
          {prepared === null
            ? ""
            : prepared.ready < prepared.of
              ? `preparing ${prepared.ready} of ${prepared.of}`
              : `${prepared.of} ready`}
        </span>
      </div>
    </div>
  );
}

/** Level and noise of a calibration frame. */
function levelsOf({ measures, unit }: SubRecord): string[] {
  const shown = levelUnit(unit);
  const adu = (value: number) => `${(value * shown.scale).toFixed(1)} ${shown.unit}`;
  return [`level ${adu(measures.background[0])}`, `noise ${adu(measures.noise[0])}`];
}
