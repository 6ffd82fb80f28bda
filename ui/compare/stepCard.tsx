"use client";

import { misplacement } from "@/core/chain";
import type { AnyOperation, ChannelMode } from "@/core/operations";
import { findOperation } from "@/core/operations";
import { changeStep } from "@/state/board";
import type { Board, Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { NumberSetting } from "../kit/setting";
import { useSorted } from "../kit/sortable";
import { useDesk, useDeskStore } from "./desk";
import { IdleLine } from "./idleLine";
import type { Latency } from "./latency";
import { MaskChoice } from "./maskChoice";
import { PsfPanel } from "./psfPanel";
import { StepHead } from "./stepHead";
import { StepSettings } from "./stepSettings";

const MODE_WORDS: Record<ChannelMode, string> = {
  together: "all channels together",
  each: "each channel by itself",
  luminance: "luminance only",
  chrominance: "colour only",
};

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  index: number;
  latency: Latency;
}

/** One step of a chain with all its settings; drag it by its handle to another place. */
export function StepCard({ board, lane, step, index, latency }: Props) {
  const session = useSession();
  const { ref, style, grip } = useSorted(step.id);
  const desk = useDeskStore();
  const isChosen = useDesk(({ stepId }) => stepId === step.id);
  const choose = () => desk.setState({ stepId: step.id });
  const operation = findOperation(step.operation);
  const misplaced = step.on ? misplacement(lane.steps, index) : null;
  const change = (part: Partial<LaneStep>, group: string) => {
    latency.changed();
    session.board.change((board) => changeStep(board, lane.id, step.id, part), group);
  };
  return (
    <section
      {...{ ref, style }}
      onPointerDownCapture={choose}
      onFocusCapture={choose}
      className={`mb-2 rounded border ${isChosen ? "border-quiet" : "border-line"} bg-raised px-2 py-1.5 ${step.on ? "" : "opacity-60"}`}
      aria-label={operation?.words.title ?? step.operation}
      data-step={step.operation}
    >
      <StepHead {...{ board, lane, step, grip }} onSwitch={(on) => change({ on }, `${step.id}.on`)} />
      {misplaced ? <p className="text-sm text-warn">{misplaced}</p> : null}
      {operation?.idle && step.on ? <IdleLine lane={lane} index={index} /> : null}
      {operation && operation.channels.length > 1 ? (
        <div className="flex items-center gap-2 py-1">
          <span className="flex-1 text-quiet">Works on</span>
          <Choice
            label="Channels"
            help="What the step works on"
            value={step.channels}
            options={operation.channels.map((mode) => ({ value: mode, label: MODE_WORDS[mode] }))}
            onChange={(channels) => change({ channels }, `${step.id}.channels`)}
          />
        </div>
      ) : null}
      <StartingPoints
        words={operation?.words}
        onPick={(label, params) => change({ params: { ...step.params, ...params } }, `${step.id}.start.${label}`)}
      />
      <StepSettings {...{ board, lane, step, index, latency }} onChange={change} />
      {operation?.can.restoration ? (
        <PsfPanel
          {...{ board, lane, step }}
          zoom={typeof board.view.zoom === "number" ? board.view.zoom : 1}
          onChange={change}
        />
      ) : null}
      <MaskChoice {...{ board, lane, step, latency }} onChange={change} />
      <NumberSetting
        label="Blend"
        hint="How much of the step's result goes into the picture; the rest stays as it was"
        min={0}
        max={1}
        step={0.01}
        value={step.blend}
        onChange={(blend) => change({ blend }, `${step.id}.blend`)}
      />
    </section>
  );
}

/** Settings to begin with, where the operation has some. */
function StartingPoints({
  words,
  onPick,
}: {
  words: AnyOperation["words"] | undefined;
  onPick: (label: string, params: Record<string, unknown>) => void;
}) {
  const points = words?.startingPoints ?? [];
  if (points.length === 0) return null;
  return (
    <div className="flex items-center gap-1 py-1">
      <span className="flex-1 text-quiet" title="Settings to begin with, by what they do">
        Begin
      </span>
      {points.map(({ label, hint, params }) => (
        <button
          key={label}
          type="button"
          title={hint}
          data-help={hint}
          className="rounded border border-line bg-page px-1.5 py-0.5 text-sm whitespace-nowrap hover:border-quiet"
          onClick={() => onPick(label, params as Record<string, unknown>)}
        >
          {label}
        </button>
      ))}
    </div>
  );
}
