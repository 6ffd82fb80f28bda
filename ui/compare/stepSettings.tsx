"use client";

import { ListOrdered } from "lucide-react";
import { useState } from "react";
import { findOperation } from "@/core/operations";
import type { Field } from "@/core/parameters";
import { isInEffect } from "@/core/parameters";
import { arcsecPerPx } from "@/state/pixelScale";
import type { Board, Lane, LaneStep } from "@/storage";
import { useProject } from "../frame/session";
import { IconButton } from "../kit/button";
import { ParameterSetting } from "../kit/parameterSetting";
import { LadderForm } from "./ladderForm";
import type { Latency } from "./latency";
import { PointsPanel } from "./pointsPanel";
import { SkyPanel } from "./skyPanel";
import { StoppingFigure } from "./stoppingFigure";
import { StrengthFigure } from "./strengthFigure";

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  index: number;
  latency: Latency;
  onChange: (part: Partial<LaneStep>, group: string) => void;
}

/** The pixel scale that goes with the choice of a telescope's blur. */
function scaleWith(name: string, value: unknown, arcsec: number | null): { arcsecPerPx?: number } {
  if (name !== "psf" || value !== "telescope" || arcsec === null) return {};
  return { arcsecPerPx: Math.min(8, Math.max(0.05, Math.round(100 * arcsec) / 100)) };
}

/** Every parameter of a step that is of effect on its stack. */
export function StepSettings(props: Props) {
  const { lane, step, onChange } = props;
  const [ladderOf, setLadderOf] = useState<string | null>(null);
  const stack = useProject(({ stacks }) => stacks.find(({ id }) => id === lane.stackId) ?? null);
  // A telescope's blur is in seconds of arc: it begins at the scale of the stack, where that is known.
  const arcsec = useProject((state) => stack && arcsecPerPx(stack, state));
  const setting = (name: string, value: unknown) =>
    onChange({ params: { ...step.params, [name]: value, ...scaleWith(name, value, arcsec) } }, `${step.id}.${name}`);
  // What is of effect on colour alone is not shown where there is none.
  const hasColour = stack?.facts.channels !== 1;
  const fields =
    findOperation(step.operation)?.parameters.fields.filter(({ ofColour }) => hasColour || !ofColour) ?? [];
  return fields.map((field) => (
    <StepSetting
      key={field.name}
      {...props}
      field={field}
      hasLadder={ladderOf === field.name}
      onLadder={(isOpen) => setLadderOf(isOpen ? field.name : null)}
      onValue={(value) => setting(field.name, value)}
    />
  ));
}

interface SettingProps extends Props {
  field: Field & { name: string };
  hasLadder: boolean;
  onLadder: (isOpen: boolean) => void;
  onValue: (value: unknown) => void;
}

/** One parameter, with what its kind and the operation show beside it. */
function StepSetting({ field, hasLadder, onLadder, onValue, ...of }: SettingProps) {
  const { board, lane, step, index, latency } = of;
  const can = findOperation(step.operation)?.can;
  return (
    <div data-setting={field.name}>
      <ParameterSetting
        field={field}
        values={step.params}
        onChange={onValue}
        extra={
          <IconButton
            label={`Ladder of ${field.label.toLowerCase()}: see several values side by side`}
            help="Several values side by side"
            onClick={() => onLadder(!hasLadder)}
          >
            <ListOrdered size={12} />
          </IconButton>
        }
      />
      {field.kind === "patches" ? <SkyPanel {...{ board, lane, step, index, field }} onChange={onValue} /> : null}
      {field.kind === "points" ? <PointsPanel {...{ board, step, field }} onChange={onValue} /> : null}
      {field.name === can?.strength?.field && isInEffect(field, step.params) ? (
        <StrengthFigure {...{ lane, step, index }} onStrength={onValue} />
      ) : null}
      {can?.stopping?.field === field.name ? <StoppingFigure {...{ lane, step, index, onValue }} /> : null}
      {field.kind === "slider" && hasLadder ? (
        <LadderForm {...{ board, lane, step, field, latency }} onDone={() => onLadder(false)} />
      ) : null}
    </div>
  );
}
