"use client";

import { Copy, X } from "lucide-react";
import { Switch } from "radix-ui";
import { findOperation } from "@/core/operations";
import { copyStep, removeStep } from "@/state/board";
import type { Board, Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { ActionMenu } from "../kit/actionMenu";
import { IconButton } from "../kit/button";
import { Grip } from "../kit/sortable";

interface Props {
  board: Board;
  lane: Lane;
  step: LaneStep;
  grip: Parameters<typeof Grip>[0]["grip"];
  onSwitch: (on: boolean) => void;
}

/** The head of a step's card: its grip, its name, whether it is on, copying and removing it. */
export function StepHead({ board, lane, step, grip, onSwitch }: Props) {
  const session = useSession();
  const words = findOperation(step.operation)?.words;
  const title = words?.title ?? step.operation;
  const others = board.lanes.filter(({ id }) => id !== lane.id);
  const copyTo = (id: string | null) => session.board.change((b) => copyStep(b, lane.id, step.id, id));
  const entries = others.map(({ id, letter }, k) => ({
    label: `lane ${letter}`,
    act: () => copyTo(id),
    ...(k === 0 ? { heading: "This step at the end of" } : {}),
  }));
  if (others.length > 1) entries.push({ label: "all other lanes", act: () => copyTo(null) });
  return (
    <div className="flex items-center gap-0.5">
      <Grip
        label="Drag to another place in the chain"
        help="Drag a step to another place"
        className="-ml-1"
        grip={grip}
      />
      <h3 className="min-w-0 flex-1 leading-tight" title={words?.summary}>
        {words?.title ?? `Unknown: ${step.operation}`}
      </h3>
      <Switch.Root
        checked={step.on}
        aria-label={`${title} on`}
        title="Takes this step in or leaves it out"
        data-help="Takes this step in or leaves it out"
        className="group flex h-6 items-center"
        onCheckedChange={onSwitch}
      >
        <span className="h-4 w-7 rounded-full bg-line pt-0.5 group-data-[state=checked]:bg-quiet">
          <Switch.Thumb className="block h-3 w-3 translate-x-0.5 rounded-full bg-text data-[state=checked]:translate-x-3.5" />
        </span>
      </Switch.Root>
      <ActionMenu entries={entries}>
        <button
          type="button"
          aria-label={`Copy ${title} to other lanes`}
          title="Copies the step to other lanes"
          data-help="Copies the step to other lanes"
          className="inline-flex h-6 w-5 items-center justify-center rounded text-quiet hover:text-text"
        >
          <Copy size={12} />
        </button>
      </ActionMenu>
      <IconButton
        label={`Remove ${title}`}
        help="Removes the step"
        onClick={() => session.board.change((b) => removeStep(b, lane.id, step.id))}
      >
        <X size={12} />
      </IconButton>
    </div>
  );
}
