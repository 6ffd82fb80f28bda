"use client";

import { Blend } from "lucide-react";
import { useState } from "react";
import type { JoinChoice } from "@/state/joinedStack";
import { channelsOf } from "@/state/joinedStack";
import type { StackRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { NumberField } from "../kit/setting";

const NONE = "none";
const CHANNELS = ["red", "green", "blue", "luminance"] as const;
/** What a stack counts for in its channel, after all were brought to one starlight. */
const WEIGHT = { min: 0.1, max: 10, step: 0.1, default: 1 };

/** Joins stacks of single filters into colour; there from two stacks of one channel on. */
export function JoinForm() {
  const stacks = useProject((state) => state.stacks);
  const grey = stacks.filter(({ facts }) => facts.channels === 1);
  const [open, setOpen] = useState(false);
  if (grey.length < 2) return null;
  if (!open)
    return (
      <Button help="Stacks of single filters become one picture in colour" onClick={() => setOpen(true)}>
        <Blend size={14} /> Join into colour
      </Button>
    );
  return <Form grey={grey} onClose={() => setOpen(false)} />;
}

function Form({ grey, onClose }: { grey: StackRecord[]; onClose: () => void }) {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const [choice, setChoice] = useState<JoinChoice>(() => channelsOf(grey, subs));
  const options = grey.map(({ id, name }) => ({ value: id, label: name }));
  const row = (channel: (typeof CHANNELS)[number]) => (
    <div key={channel} className="flex items-center gap-2">
      <span className="w-20 text-quiet">{channel}</span>
      <Choice
        label={`Stack for ${channel}`}
        value={choice[channel] ?? NONE}
        options={channel === "luminance" ? [{ value: NONE, label: "none" }, ...options] : options}
        onChange={(id) => setChoice({ ...choice, [channel]: id === NONE ? null : id })}
      />
      <span className="text-quiet">×</span>
      <NumberField
        label={`Weight of ${channel}`}
        {...WEIGHT}
        value={choice.weights?.[channel] ?? 1}
        onChange={(weight) => setChoice({ ...choice, weights: { ...choice.weights, [channel]: weight } })}
      />
    </div>
  );
  return (
    <div className="space-y-2 border-l-2 border-accent bg-raised p-2" data-testid="join">
      {CHANNELS.map(row)}
      <div className="flex gap-2">
        <Button
          kind="primary"
          help="Matches them by their stars, makes the mean star neutral and the skies equal, and joins the halves alike"
          onClick={() => {
            void session.stacks.join(choice);
            onClose();
          }}
        >
          Join
        </Button>
        <Button kind="quiet" help="Closes this" onClick={onClose}>
          Not now
        </Button>
      </div>
    </div>
  );
}
