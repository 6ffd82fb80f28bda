"use client";

import { ChevronLeft, ChevronRight, Pause, Play, Star } from "lucide-react";
import { Slider } from "radix-ui";
import type { GradedFrame, Verdict } from "@/core/choose";
import { MEASURES, measureOf } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { Button, IconButton } from "../kit/button";
import { NumberField } from "../kit/setting";
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
  bestPercent: number;
  onStep: (by: number) => void;
  onPlay: () => void;
  onDecide: () => void;
  onCandidate: () => void;
  onSwap: () => void;
  onReference: () => void;
  onJudging: (part: Partial<JudgingLook>) => void;
  onBestPercent: (percent: number) => void;
  reasons: readonly string[];
}

/** The controls under the picture: going from frame to frame, what to do with it, and how it is shown. */
export function FlipBar(props: Props) {
  const { current, frame, verdict, isReference, at, count, playing, prepared, judging, bestPercent, reasons } = props;
  const included = verdict?.included !== false;
  const gradients = frame
    ? MEASURES.filter(({ id }) => id === "gradient" || id === "boxGradient").flatMap(({ id, label, unit, digits }) => {
        const value = measureOf(id).value(frame);
        return value === null ? [] : [`${label} ${value.toFixed(digits)} ${unit}`];
      })
    : [];
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
          <span className="figures text-quiet">
            {" "}
            {at + 1} of {count}
          </span>
          {!included ? <span className="text-warn"> · left out: {verdict?.reasons.join("; ")}</span> : null}
          {isReference ? (
            <span className="text-accent" title={reasons.join("\n")}>
              {" "}
              · reference
            </span>
          ) : null}
        </span>
        <Button
          help={included ? "Leaves this sub out of stacks (X)" : "Takes this sub in again, whatever the rules say (X)"}
          onClick={props.onDecide}
        >
          {included ? "Leave out" : "Take in"}
        </Button>
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
        <Button help="Matches the others to this sub (R)" onClick={props.onReference}>
          Make reference
        </Button>
      </div>
      <div className="flex h-8 items-center gap-3 border-t border-line px-2 text-sm text-quiet">
        <label
          className="flex items-center gap-1.5 whitespace-nowrap"
          data-help="Registered to the reference, with its starlight and sky (N); off shows the frame as it came"
        >
          <input
            type="checkbox"
            className="accent-[#a3a3a3]"
            checked={judging.registered}
            onChange={(event) => props.onJudging({ registered: event.target.checked })}
          />
          registered
        </label>
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
        <label className="flex items-center gap-1.5" data-help="Boxes of empty sky whose levels stand beside them (B)">
          <input
            type="checkbox"
            className="accent-[#a3a3a3]"
            checked={judging.boxes}
            onChange={(event) => props.onJudging({ boxes: event.target.checked })}
          />
          boxes
        </label>
        <span
          className="flex items-center gap-1"
          data-help="Flips only through the best by weight; 100 % flips through all"
        >
          best
          <NumberField
            label="Best by weight"
            min={1}
            max={100}
            step={1}
            value={bestPercent}
            onChange={props.onBestPercent}
          />
          %
        </span>
      </div>
      <div className="flex h-6 items-center gap-3 border-t border-line px-2 text-sm text-quiet">
        <span className="figures min-w-0 flex-1 truncate " data-testid="gradients">
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
      <Slider.Root
        className="relative flex h-4 w-20 touch-none items-center select-none"
        min={min}
        max={max}
        step={step}
        value={[value]}
        onValueChange={([next]) => onChange(next)}
      >
        <Slider.Track className="relative h-[3px] grow rounded bg-line">
          <Slider.Range className="absolute h-full rounded bg-quiet" />
        </Slider.Track>
        <Slider.Thumb aria-label={label} className="block h-3.5 w-2 rounded-sm bg-text" />
      </Slider.Root>
    </span>
  );
}
