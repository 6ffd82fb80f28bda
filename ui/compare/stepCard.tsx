"use client";

import { Copy, ListOrdered, X } from "lucide-react";
import { Switch } from "radix-ui";
import { useState } from "react";
import { standsWrong } from "@/core/chain";
import type { ChannelMode } from "@/core/operations";
import { findOperation } from "@/core/operations";
import type { Slider } from "@/core/parameters";
import { isInEffect } from "@/core/parameters";
import { arcsecPerPx } from "@/state/pixelScale";
import { changeStep, copyStep, removeStep } from "@/state/board";
import { ladderValues } from "@/state/ladder";
import type { Board, Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { ActionMenu } from "../kit/actionMenu";
import { Button, IconButton } from "../kit/button";
import { Grip, useSorted } from "../kit/sortable";
import { Choice } from "../kit/choice";
import { ParameterSetting } from "../kit/parameterSetting";
import { NumberField, NumberSetting } from "../kit/setting";
import { useDesk, useDeskStore } from "./desk";
import { focusSetting } from "./focusSetting";
import { IdleLine } from "./idleLine";
import type { Latency } from "./latency";
import { MaskChoice } from "./maskChoice";
import { PointsPanel } from "./pointsPanel";
import { PsfPanel } from "./psfPanel";
import { SkyPanel } from "./skyPanel";
import { StoppingFigure } from "./stoppingFigure";
import { StrengthFigure } from "./strengthFigure";

const MODE_WORDS: Record<ChannelMode, string> = {
  together: "all channels together",
  each: "each channel by itself",
  luminance: "luminance only",
  chrominance: "colour only",
};

/** The pixel scale that goes with the choice of a telescope's blur. */
function scaleWith(name: string, value: unknown, arcsec: number | null): { arcsecPerPx?: number } {
  if (name !== "psf" || value !== "telescope" || arcsec === null) return {};
  return { arcsecPerPx: Math.min(8, Math.max(0.05, Math.round(100 * arcsec) / 100)) };
}

/** One step of a chain with all its settings; drag it by its handle to another place. */
export function StepCard({
  board,
  lane,
  step,
  index,
  latency,
}: {
  board: Board;
  lane: Lane;
  step: LaneStep;
  index: number;
  latency: Latency;
}) {
  const session = useSession();
  const { ref, style, grip } = useSorted(step.id);
  const desk = useDeskStore();
  const isChosen = useDesk(({ stepId }) => stepId === step.id);
  const choose = () => desk.setState({ stepId: step.id });
  const [ladderOf, setLadderOf] = useState<string | null>(null);
  const operation = findOperation(step.operation);
  // A telescope's blur is in seconds of arc: it begins at the scale of the stack, where that is known.
  const arcsec = useProject((state) => {
    const stack = state.stacks.find(({ id }) => id === lane.stackId);
    return stack ? arcsecPerPx(stack, state) : null;
  });
  const hasColour = useProject(({ stacks }) => stacks.find(({ id }) => id === lane.stackId)?.facts.channels !== 1);
  const change = (part: Partial<LaneStep>, group: string) => {
    latency.changed();
    session.board.change((board) => changeStep(board, lane.id, step.id, part), group);
  };
  const setting = (name: string, value: unknown) =>
    change({ params: { ...step.params, [name]: value, ...scaleWith(name, value, arcsec) } }, `${step.id}.${name}`);
  // What is of effect on colour alone is not shown where there is none.
  const fields =
    operation?.parameters.fields.filter((field) => hasColour || !("ofColour" in field && field.ofColour)) ?? [];
  const misplaced = standsWrong(lane.steps, index);
  const ladderButton = ({ name, label }: { name: string; label: string }) => (
    <IconButton
      label={`Ladder of ${label.toLowerCase()}: see several values side by side`}
      help="Several values side by side"
      onClick={() => setLadderOf(ladderOf === name ? null : name)}
    >
      <ListOrdered size={12} />
    </IconButton>
  );
  return (
    <section
      {...{ ref, style }}
      onPointerDownCapture={choose}
      onFocusCapture={choose}
      className={`mb-2 rounded border ${isChosen ? "border-quiet" : "border-line"} bg-raised px-2 py-1.5 ${step.on ? "" : "opacity-60"}`}
      aria-label={operation?.words.title ?? step.operation}
      data-step={step.operation}
    >
      <div className="flex items-center gap-0.5">
        <Grip
          label="Drag to another place in the chain"
          help="Drag a step to another place"
          className="-ml-1"
          grip={grip}
        />
        <h3 className="min-w-0 flex-1 leading-tight" title={operation?.words.summary}>
          {operation?.words.title ?? `Unknown: ${step.operation}`}
        </h3>
        <Switch.Root
          checked={step.on}
          aria-label={`${operation?.words.title ?? step.operation} on`}
          title="Takes this step in or leaves it out"
          data-help="Takes this step in or leaves it out"
          className="group flex h-6 items-center"
          onCheckedChange={(on) => change({ on }, `${step.id}.on`)}
        >
          <span className="h-4 w-7 rounded-full bg-line pt-0.5 group-data-[state=checked]:bg-quiet">
            <Switch.Thumb className="block h-3 w-3 translate-x-0.5 rounded-full bg-text data-[state=checked]:translate-x-3.5" />
          </span>
        </Switch.Root>
        <ActionMenu
          entries={board.lanes
            .filter(({ id }) => id !== lane.id)
            .map(({ id, letter }, k) => ({
              label: `lane ${letter}`,
              act: () => session.board.change((b) => copyStep(b, lane.id, step.id, id)),
              ...(k === 0 ? { heading: "This step at the end of" } : {}),
            }))
            .concat(
              board.lanes.length > 2
                ? [
                    {
                      label: "all other lanes",
                      act: () => session.board.change((b) => copyStep(b, lane.id, step.id, null)),
                    },
                  ]
                : [],
            )}
        >
          <button
            type="button"
            aria-label={`Copy ${operation?.words.title ?? step.operation} to other lanes`}
            title="Copies the step to other lanes"
            data-help="Copies the step to other lanes"
            className="inline-flex h-6 w-5 items-center justify-center rounded text-quiet hover:text-text"
          >
            <Copy size={12} />
          </button>
        </ActionMenu>
        <IconButton
          label={`Remove ${operation?.words.title ?? step.operation}`}
          help="Removes the step"
          onClick={() => session.board.change((board) => removeStep(board, lane.id, step.id))}
        >
          <X size={12} />
        </IconButton>
      </div>
      {misplaced ? (
        <p className="text-sm text-warn">
          {operation?.madeFor === "linear"
            ? "Meant for linear data, but stands after a stretch."
            : "Meant for stretched data, but stands before a stretch."}
        </p>
      ) : null}
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
      {operation?.words.startingPoints && operation.words.startingPoints.length > 0 ? (
        <div className="flex items-center gap-1 py-1">
          <span className="flex-1 text-quiet" title="Settings to begin with, by what they do">
            Begin
          </span>
          {operation.words.startingPoints.map(({ label, hint, params }) => (
            <button
              key={label}
              type="button"
              title={hint}
              data-help={hint}
              className="rounded border border-line bg-page px-1.5 py-0.5 text-sm whitespace-nowrap hover:border-quiet"
              onClick={() => change({ params: { ...step.params, ...params } }, `${step.id}.start.${label}`)}
            >
              {label}
            </button>
          ))}
        </div>
      ) : null}
      {fields.map((field) => (
        <div key={field.name} data-setting={field.name}>
          <ParameterSetting
            field={field}
            values={step.params}
            onChange={(value) => setting(field.name, value)}
            extra={ladderButton(field)}
          />
          {field.kind === "patches" ? (
            <SkyPanel {...{ board, lane, step, index, field }} onChange={(value) => setting(field.name, value)} />
          ) : null}
          {field.kind === "points" ? (
            <PointsPanel {...{ board, step, field }} onChange={(value) => setting(field.name, value)} />
          ) : null}
          {field.name === operation?.can.strength?.field && isInEffect(field, step.params) ? (
            <StrengthFigure
              lane={lane}
              step={step}
              index={index}
              onStrength={(strength) => setting(field.name, strength)}
            />
          ) : null}
          {operation?.can.stopping?.field === field.name ? (
            <StoppingFigure lane={lane} step={step} index={index} onValue={(value) => setting(field.name, value)} />
          ) : null}
          {field.kind === "slider" && ladderOf === field.name ? (
            <LadderForm
              board={board}
              lane={lane}
              step={step}
              field={field}
              latency={latency}
              onDone={() => setLadderOf(null)}
            />
          ) : null}
        </div>
      ))}
      {operation?.can.restoration ? (
        <PsfPanel
          board={board}
          lane={lane}
          step={step}
          zoom={typeof board.view.zoom === "number" ? board.view.zoom : 1}
          onChange={change}
        />
      ) : null}
      <MaskChoice board={board} lane={lane} step={step} latency={latency} onChange={change} />
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

/** Asks for the values of a ladder: from, to, and how many. */
function LadderForm({
  board,
  lane,
  step,
  field,
  latency,
  onDone,
}: {
  board: Board;
  lane: Lane;
  step: LaneStep;
  field: Slider & { name: string };
  latency: Latency;
  onDone: () => void;
}) {
  const session = useSession();
  const value = Number(step.params[field.name]);
  const [from, setFrom] = useState(Math.max(field.min, Number((value * 0.5).toFixed(2))));
  const [to, setTo] = useState(Math.min(field.max, Number((value * 1.5).toFixed(2)) || field.max));
  const [count, setCount] = useState(4);
  const [even, setEven] = useState<"steps" | "ratio">("steps");
  const { ladder } = board;
  const canBeRows = ladder?.laneId === lane.id && !(ladder.stepId === step.id && ladder.field === field.name);
  const range = { min: field.min, max: field.max, step: field.step };
  return (
    <div
      className="mb-1 flex flex-wrap items-center gap-1.5 rounded bg-page p-1.5 text-quiet"
      data-testid="ladder-form"
    >
      <NumberField label="Ladder from" {...range} value={from} onChange={setFrom} />
      to
      <NumberField label="Ladder to" {...range} value={to} onChange={setTo} />
      in
      <NumberField label="Rungs" min={3} max={7} step={1} value={count} onChange={setCount} />
      rungs
      {from > 0 && to > 0 ? (
        <Choice
          label="How the rungs are spread"
          value={even}
          options={[
            { value: "steps", label: "in even steps" },
            { value: "ratio", label: "in even ratios" },
          ]}
          onChange={setEven}
        />
      ) : null}
      <Button
        kind="primary"
        disabled={from === to}
        help="Shows these values side by side in place of the lanes"
        onClick={() => {
          const values = ladderValues(from, to, count, field.step, from > 0 && to > 0 ? even : "steps");
          latency.changed();
          session.board.change((board) => ({
            ...board,
            ladder: { laneId: lane.id, stepId: step.id, field: field.name, values, second: null },
          }));
          onDone();
          focusSetting(field.name);
        }}
      >
        Show ladder
      </Button>
      {canBeRows ? (
        <Button
          disabled={from === to}
          help="Shows these values as rows of the ladder that lies open: a grid of two settings, at one spot"
          onClick={() => {
            const values = ladderValues(from, to, Math.min(count, 5), field.step, from > 0 && to > 0 ? even : "steps");
            latency.changed();
            session.board.change((b) => ({
              ...b,
              ladder: b.ladder && { ...b.ladder, second: { stepId: step.id, field: field.name, values } },
            }));
            onDone();
          }}
        >
          As rows
        </Button>
      ) : null}
    </div>
  );
}
