"use client";

import Link from "next/link";
import type { ReactNode } from "react";
import { useState } from "react";
import { shownByOf } from "@/state/display";
import type { Board, Lane } from "@/storage";
import { laneWords } from "../compare/laneHeader";
import { LanePicture } from "../compare/lanePicture";
import { useLaneTreatment } from "../compare/useTreatment";
import { subsWords } from "../stack/stackDifferences";
import { StackPictureView } from "../stack/stackPicture";
import { counted, duration, fixed } from "../kit/format";
import { useProject, useSession } from "./session";

/** A project to look at only: its stacks and lanes, and what they are. `children` say why nothing can be changed here. */
export function LookOnly({ children }: { children: ReactNode }) {
  const session = useSession();
  const project = useProject((state) => state.project);
  const subs = useProject((state) => state.subs.length);
  const stacks = useProject((state) => state.stacks);
  const board = useProject((state) => state.board?.present ?? null);
  const currentId = useProject((state) => state.currentStackId);
  const [laneId, setLaneId] = useState<string | null>(null);
  const current = stacks.find(({ id }) => id === currentId) ?? stacks.at(-1) ?? null;
  const lane = board?.lanes.find(({ id }) => id === laneId) ?? null;
  return (
    <main className="flex h-screen flex-col gap-3 p-3">
      <div className="flex items-baseline gap-3">
        <h1 className="min-w-0 flex-1 truncate">{project.name}</h1>
        <Link href="/" className="text-accent underline">
          All projects
        </Link>
      </div>
      <p className="figures text-quiet" data-testid="sums">
        {counted(subs, "sub")} · {duration(project.integrationS ?? 0)} · {counted(stacks.length, "stack")}
      </p>
      {current ? (
        <>
          <Choices
            label="What to look at"
            choices={[
              ...stacks.map(({ id, name }) => ({
                id,
                words: name,
                isChosen: !lane && id === current.id,
                choose: () => (setLaneId(null), session.stacks.select(id)),
              })),
              ...(board?.lanes ?? []).map(({ id, letter }) => ({
                id,
                words: `Lane ${letter}`,
                isChosen: id === lane?.id,
                choose: () => setLaneId(id),
              })),
            ]}
          />
          <div className="min-h-0 flex-1">
            {lane && board ? (
              <TreatedLane key={lane.id} lane={lane} board={board} />
            ) : (
              <StackPictureView key={current.id} stack={current} />
            )}
          </div>
          <p className="text-quiet">
            {lane
              ? `Lane ${lane.letter}: ${laneWords(lane)}`
              : `${current.name}: ${subsWords(current)}, ${duration(current.report.integrationS)}, FWHM ${fixed(current.report.fwhmPx, 2)} px`}
          </p>
        </>
      ) : (
        <p className="flex-1">There is no stack to look at yet.</p>
      )}
      <div className="text-sm text-quiet">{children}</div>
    </main>
  );
}

interface Choice {
  id: string;
  words: string;
  isChosen: boolean;
  choose: () => void;
}

function Choices({ label, choices }: { label: string; choices: Choice[] }) {
  return (
    <ul className="flex flex-wrap gap-2" aria-label={label}>
      {choices.map(({ id, words, isChosen, choose }) => (
        <li key={id}>
          <button
            type="button"
            aria-pressed={isChosen}
            className={`rounded border px-3 py-1 ${isChosen ? "border-accent" : "border-line text-quiet"}`}
            onClick={choose}
          >
            {words}
          </button>
        </li>
      ))}
    </ul>
  );
}

function TreatedLane({ lane, board }: { lane: Lane; board: Board }) {
  const { stack, treatment, error } = useLaneTreatment(lane);
  const stacks = useProject((state) => state.stacks);
  if (error || !stack)
    return (
      <p role="alert" className="text-warn">
        {error ?? "The stack of this lane is missing."}
      </p>
    );
  return <LanePicture {...{ lane, stack, treatment }} shownBy={shownByOf(board, lane, stack, stacks)} />;
}
