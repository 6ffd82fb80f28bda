"use client";

import { ChevronLeft, ChevronRight, Pause, Play, Plus, Star } from "lucide-react";
import type { GradedFrame, Verdict } from "@/core/choose";
import { MEASURES, measureOf } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { Button, IconButton } from "../kit/button";
import { levelUnit } from "../kit/format";
import { NumberField, NumberSlider } from "../kit/setting";
import { Tick } from "../kit/tick";
import { TYPE_LABELS } from "./headerPanel";
import type { JudgingLook } from "./flipPicture";
import type { Prepared } from "./useFlip";

interface Props {
  current: SubRecord;
  frame: GradedFrame | null;
  verdict: Verdict | undefined;
  isReference: boolean;
  at: number;
  count: number;
  playing: boolean;
  prepared: Prepared | null;
  judging: JudgingLook;
  /** How many of the best by weight are flipped through; null for all of them. */
  best: number | null;
  total: number;
  onStep: (by: number) => void;
  onPlay: () => void;
  onDecide: () => void;
  onCandidate: () => void;
  onSwap: () => void;
  onReference: () => void;
  onJudging: (part: Partial<JudgingLook>) => void;
  onBest: (count: number) => void;
  onAddBox: () => void;
  reasons: readonly string[];
}

/** The controls under the picture: going from frame to frame, what to do with it, and how it is shown. */
export function FlipBar(props: Props) {
  const { current, frame, verdict, isReference, at, count, playing, prepared, judging, best, total, reasons } = props;
  const included = verdict?.included !== false;
  const light = current.type === "light";
  const gradients = frame
    ? MEASURES.filter(({ id }) => id === "gradient" || id === "boxGradient").flatMap(({ id, label, unit, digits }) => {
        const value = measureOf(id).value(frame);
        return value === null ? [] : [`${label} ${value.toFixed(digits)} ${unit}`];
      })
    : levelsOf(current);
  return (
    <div className="shrink-0 border-t border-line bg-panel">
      <div className="flex h-9 items-center gap-1.5 px-2">
        <IconButton label="Previous sub (←)" disabled={at <= 0} onClick={() => props.onStep(-1)}>
          <ChevronLeft size={16} />
        </IconButton>
        <IconButton label={playing ? "Stop playing (Space)" : "Play (Space)"} onClick={props.onPlay}>
          {playing ? <Pause size={14} /> : <Play size={14} />}
        </IconButton>
        <IconButton label="Next sub (→)" disabled={at >= count - 1} onClick={() => props.onStep(1)}>
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
              ? `Leaves this frame out of ${light ? "stacks" : "masters"} (X)`
              : "Takes this frame in again, whatever the rules say (X)"
          }
          onClick={props.onDecide}
        >
          {included ? "Leave out" : "Take in"}
        </Button>
        {light ? (
          <>
            <Button
              help="Marks this sub as a candidate for the reference (C)"
              aria-pressed={current.candidate}
              className={current.candidate ? "border-accent text-accent" : ""}
              onClick={props.onCandidate}
            >
              <Star size={13} /> Candidate
            </Button>
            <Button help="Goes to the last candidate and back (V)" onClick={props.onSwap}>
              Swap
            </Button>
            {isReference ? (
              <span className="rounded border border-transparent px-2.5 py-1 text-accent" title={reasons.join("\n")}>
                Reference
              </span>
            ) : (
              <Button help="Matches the others to this sub (R)" onClick={props.onReference}>
                Make reference
              </Button>
            )}
          </>
        ) : null}
      </div>
      <div className="flex h-8 items-center gap-3 border-t border-line px-2 text-sm text-quiet">
        {light ? (
          <Tick
            className="gap-1.5 whitespace-nowrap"
            help="Registered to the reference, with its starlight and sky (N); off shows the frame as it came"
            checked={judging.registered}
            onChange={(checked) => props.onJudging({ registered: checked })}
          >
            registered
          </Tick>
        ) : null}
        <Level
          label="Brightness"
          help="Display brightness of the sky, the same for all frames"
          min={0.04}
          max={0.5}
          step={0.01}
          value={judging.brightness}
          onChange={(brightness) => props.onJudging({ brightness })}
        />
        <Level
          label="Contrast"
          help="Brings out faint differences of the sky"
          min={0.5}
          max={12}
          step={0.1}
          value={judging.contrast}
          onChange={(contrast) => props.onJudging({ contrast })}
        />
        {light ? (
          <>
            <Tick
              className="gap-1.5"
              help="Boxes of empty sky whose levels stand beside them (B)"
              checked={judging.boxes}
              onChange={(checked) => props.onJudging({ boxes: checked })}
            >
              boxes
            </Tick>
            {judging.boxes ? (
              <IconButton label="Add a sky box" onClick={props.onAddBox}>
                <Plus size={13} />
              </IconButton>
            ) : null}
            <span
              className="flex items-center gap-1"
              data-help="Flips only through this many, the best by weight (by sharpness in a video)"
            >
              the best
              <NumberField
                label="Best by weight"
                min={1}
                max={Math.max(1, total)}
                step={1}
                value={Math.min(best ?? total, total)}
                onChange={props.onBest}
              />
              {current.video ? "by sharpness" : "by weight"}
            </span>
          </>
        ) : null}
      </div>
      <div className="flex h-6 items-center gap-3 border-t border-line px-2 text-sm text-quiet">
        <span className="figures min-w-0 flex-1 truncate " data-testid="gradients">
          {!included && verdict ? <span className="text-warn">{verdict.reasons.join("; ")} · </span> : null}
          {gradients.join(" · ")}
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

function Level({
  label,
  help,
  min,
  max,
  step,
  value,
  onChange,
}: {
  label: string;
  help: string;
  min: number;
  max: number;
  step: number;
  value: number;
  onChange: (value: number) => void;
}) {
  return (
    <span className="flex items-center gap-1.5" data-help={help} title={help}>
      {label}
      <NumberSlider className="w-20" {...{ label, min, max, step, value, onChange }} />
    </span>
  );
}
