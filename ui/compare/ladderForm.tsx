"use client";

import { useState } from "react";
import type { Slider } from "@/core/parameters";
import { ladderValues } from "@/state/ladder";
import type { Board, Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { NumberField } from "../kit/setting";
import { focusSetting } from "./focusSetting";
import type { Latency } from "./latency";

/** Asks for the values of a ladder: from, to, and how many. */
export function LadderForm({
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
          session.board.amend((board) => ({
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
            session.board.amend((b) => ({
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
