"use client";

import { Plus, Redo2, Undo2 } from "lucide-react";
import { useState } from "react";
import type { ChainStep } from "@/core/chain";
import { migratedStep } from "@/core/chain";
import type { OperationGroup } from "@/core/operations";
import { OPERATIONS } from "@/core/operations";
import { addLane, addStep, changeLane, groupsOf, importChain, moveStep } from "@/state/board";
import { stepsInProject, stepsOnStack } from "@/state/treatment";
import { projectToStack } from "@/state/stackFrames";
import type { Board, Lane, StackRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { SortableList } from "../kit/sortable";
import { OfferMenu } from "../kit/offerMenu";
import { ChainFileButtons } from "./chainFile";
import { KeptChains } from "./keptChains";
import { LaneChip } from "./laneHeader";
import type { Latency } from "./latency";
import { StepCard } from "./stepCard";

const GROUP_WORDS: Record<OperationGroup, string> = {
  noise: "Takes noise away",
  deconvolve: "Takes blur away",
  detail: "Raises detail",
  stretch: "Brings to light",
};

interface Props {
  board: Board;
  lane: Lane | null;
  stacks: StackRecord[];
  latency: Latency;
}

/** The chain of the chosen lane: its steps in order, each with its settings. */
export function ChainEditor({ board, lane, stacks, latency }: Props) {
  return (
    <aside className="flex w-64 shrink-0 flex-col border-l border-line bg-panel xl:w-72" aria-label="Chain">
      <EditorBar stackId={lane?.stackId ?? stacks[stacks.length - 1].id} />
      {lane ? (
        <LaneChain {...{ board, lane, stacks, latency }} />
      ) : (
        <p className="p-3 text-quiet">Choose a lane to see its chain.</p>
      )}
    </aside>
  );
}

/** Undo and redo, and a new lane on a stack. */
function EditorBar({ stackId }: { stackId: string }) {
  const session = useSession();
  const history = useProject((state) => state.board);
  return (
    <div className="flex h-9 shrink-0 items-center gap-1 border-b border-line px-2">
      <IconButton
        label="Undo (Ctrl Z)"
        disabled={!history || history.past.length === 0}
        onClick={() => session.board.undo()}
      >
        <Undo2 size={16} />
      </IconButton>
      <IconButton
        label="Redo (Ctrl Shift Z)"
        disabled={!history || history.future.length === 0}
        onClick={() => session.board.redo()}
      >
        <Redo2 size={16} />
      </IconButton>
      <div className="flex-1" />
      <Button
        help="Adds a lane that leaves the stack untouched"
        onClick={() => session.board.change((board) => addLane(board, stackId))}
      >
        <Plus size={14} /> Lane
      </Button>
    </div>
  );
}

function LaneChain({ board, lane, stacks, latency }: Props & { lane: Lane }) {
  const session = useSession();
  const [problem, setProblem] = useState<string | null>(null);
  const [isKeptShown, setKeptShown] = useState(false);
  const stack = stacks.find(({ id }) => id === lane.stackId);
  const toStack = stack ? projectToStack(stacks[0], stack) : null;
  const change = (of: (board: Board) => Board) => {
    latency.changed();
    session.board.change(of);
  };
  const take = (steps: ChainStep[]) => change((b) => importChain(b, lane.id, stepsInProject(steps, toStack)));
  const onStack = stepsOnStack(lane.steps, toStack);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto p-2">
      <div className="mb-2 flex items-center gap-2">
        <LaneChip letter={lane.letter} />
        <h2 className="flex-1">Chain of lane {lane.letter}</h2>
        <ChainFileButtons
          letter={lane.letter}
          steps={onStack}
          areKeptShown={isKeptShown}
          onKept={() => setKeptShown(!isKeptShown)}
          onTake={take}
          onProblem={setProblem}
        />
      </div>
      <div className="mb-2 flex gap-2">
        <LaneText
          lane={lane}
          field="note"
          label={`Note to lane ${lane.letter}`}
          help="A note to the lane"
          placeholder="Note"
          maxLength={300}
          className="min-w-0 flex-1"
        />
        <GroupField board={board} lane={lane} />
      </div>
      {isKeptShown ? (
        <KeptChains
          letter={lane.letter}
          steps={onStack}
          onUse={(steps) => take(steps.map((step) => migratedStep(step)))}
        />
      ) : null}
      {problem ? (
        <p role="alert" className="mb-2 text-warn">
          {problem}
        </p>
      ) : null}
      {stacks.length > 1 ? (
        <div className="mb-2 flex items-center gap-2">
          <span className="text-quiet">of stack</span>
          <Choice
            label="Stack of this lane"
            value={lane.stackId}
            options={stacks.map(({ id, name }) => ({ value: id, label: name }))}
            onChange={(stackId) => session.board.change((b) => changeLane(b, lane.id, (l) => ({ ...l, stackId })))}
          />
        </div>
      ) : null}
      <SortableList
        ids={lane.steps.map(({ id }) => id)}
        onMove={(from, to) => change((b) => moveStep(b, lane.id, from, to))}
      >
        {lane.steps.map((step, index) => (
          <StepCard key={step.id} {...{ board, lane, step, index, latency }} />
        ))}
      </SortableList>
      {lane.steps.length === 0 ? <p className="py-2 text-quiet">No steps: the stack as it is.</p> : null}
      <AddStep onAdd={(id) => change((b) => addStep(b, lane.id, id))} />
    </div>
  );
}

/** A menu of all operations. */
function AddStep({ onAdd }: { onAdd: (id: string) => void }) {
  return (
    <OfferMenu
      items={OPERATIONS.map(({ id, group, words }) => ({ id, group, ...words }))}
      headingOf={({ group }) => GROUP_WORDS[group]}
      align="start"
      onPick={({ id }) => onAdd(id)}
    >
      <button
        type="button"
        data-help="Adds an operation at the end of the chain"
        className="mt-1 inline-flex items-center gap-1.5 rounded border border-accent px-2.5 py-1 text-accent hover:bg-raised"
      >
        <Plus size={14} /> Add a step
      </button>
    </OfferMenu>
  );
}

interface LaneTextProps {
  lane: Lane;
  field: "note" | "group";
  label: string;
  help: string;
  placeholder: string;
  maxLength: number;
  className: string;
  list?: string;
}

/** A text that a lane carries; it looks like a field only where it is pointed at. */
function LaneText({ lane, field, label, help, className, ...rest }: LaneTextProps) {
  const session = useSession();
  return (
    <input
      aria-label={label}
      data-help={help}
      className={`rounded bg-transparent px-1 text-sm text-quiet hover:bg-raised focus:bg-raised focus:text-text ${className}`}
      value={lane[field] ?? ""}
      onChange={(event) => {
        const text = event.target.value;
        session.board.change((b) => changeLane(b, lane.id, (l) => ({ ...l, [field]: text })), `${lane.id}.${field}`);
      }}
      {...rest}
    />
  );
}

/** The group of a lane; lanes of one group can be shown alone. */
function GroupField({ board, lane }: { board: Board; lane: Lane }) {
  return (
    <>
      <LaneText
        lane={lane}
        field="group"
        label={`Group of lane ${lane.letter}`}
        help="A name that lanes share, to show them alone"
        placeholder="Group"
        maxLength={30}
        className="w-20"
        list="lane-groups"
      />
      <datalist id="lane-groups">
        {groupsOf(board).map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
    </>
  );
}
