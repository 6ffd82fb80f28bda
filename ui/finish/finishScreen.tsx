"use client";

import Link from "next/link";
import { useState } from "react";
import { verdictAt } from "@/state/board";
import { shownByOf } from "@/state/display";
import type { Board, Lane, StackRecord } from "@/storage";
import { laneWords, LaneChip } from "../compare/laneHeader";
import { LanePicture } from "../compare/lanePicture";
import { useLaneTreatment } from "../compare/useTreatment";
import { useProject } from "../frame/session";
import { Button } from "../kit/button";
import { megabytes } from "../kit/format";
import { EmptyState } from "../kit/notice";
import { useExports } from "./useExports";

/** Render the chosen lane whole and export it with its recipe. */
export function FinishScreen() {
  const board = useProject((state) => state.board?.present ?? null);
  const stacks = useProject((state) => state.stacks);
  const projectId = useProject((state) => state.project.id);
  const [laneId, setLaneId] = useState<string | null>(null);
  if (!board || stacks.length === 0)
    return (
      <EmptyState title="Nothing to finish yet">
        Make a stack first; then choose a lane on the{" "}
        <Link className="text-accent underline" href={`/p/${projectId}/compare`}>
          Compare
        </Link>{" "}
        screen.
      </EmptyState>
    );
  // The lane that was found best over all, where one was.
  const best = verdictAt(board, null).laneId;
  const lane =
    [laneId, best, board.selectedLaneId].flatMap((id) => board.lanes.find((one) => one.id === id) ?? [])[0] ??
    board.lanes[0];
  const stack = stacks.find(({ id }) => id === lane.stackId) ?? stacks[0];
  return <Finish key={lane.id} lane={lane} board={board} stack={stack} onLane={setLaneId} />;
}

/** The chosen lane whole, and what can be made of it. */
function Finish({ lane, board, stack, onLane }: FinishProps) {
  const stacks = useProject((state) => state.stacks);
  const shownBy = shownByOf(board, lane, stack, stacks);
  const { steps, treatment, settling } = useLaneTreatment(lane);
  const exports = useExports({ lane, stack, steps, treatment, shownBy });
  return (
    <div className="flex h-full">
      <aside className="flex w-72 shrink-0 flex-col gap-4 overflow-auto border-r border-line bg-panel p-3">
        <LaneList lanes={board.lanes} chosenId={lane.id} onLane={onLane} />
        <ExportPanel letter={lane.letter} isReady={treatment !== null && !settling} exports={exports} />
        {exports.exported.length > 0 ? (
          <section>
            <h2 className="text-quiet">Exported</h2>
            <ul data-testid="exported">
              {exports.exported.map((file, i) => (
                <li key={`${file.name}${i}`} className="flex justify-between gap-2">
                  <span className="min-w-0 truncate">{file.name}</span>
                  <span className="figures text-quiet">{megabytes(file.bytes)}</span>
                </li>
              ))}
            </ul>
          </section>
        ) : null}
      </aside>
      <div className="min-w-0 flex-1">
        <LanePicture lane={lane} stack={stack} treatment={treatment} shownBy={shownBy} />
      </div>
    </div>
  );
}

interface FinishProps {
  lane: Lane;
  board: Board;
  stack: StackRecord;
  onLane: (id: string) => void;
}

function LaneList({ lanes, chosenId, onLane }: { lanes: Lane[]; chosenId: string; onLane: (id: string) => void }) {
  return (
    <section>
      <h2 className="mb-1 text-quiet">Lane</h2>
      <ul aria-label="Lane to finish">
        {lanes.map((lane) => (
          <li key={lane.id}>
            <button
              type="button"
              aria-pressed={lane.id === chosenId}
              className={`flex w-full items-start gap-2 rounded px-1.5 py-1 text-left ${lane.id === chosenId ? "bg-raised" : "hover:bg-raised"}`}
              onClick={() => onLane(lane.id)}
            >
              <LaneChip letter={lane.letter} />
              <span className="text-sm leading-5">{laneWords(lane)}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface PanelProps {
  letter: string;
  isReady: boolean;
  exports: ReturnType<typeof useExports>;
}

function ExportPanel({ letter, isReady, exports }: PanelProps) {
  const { result, seconds, render, exportFits, exportPng, exportChain } = exports;
  return (
    <section className="flex flex-col items-start gap-2">
      <h2 className="text-quiet">Render and export</h2>
      <Button
        kind="primary"
        disabled={!isReady}
        help="Treats the whole picture at full size"
        onClick={() => void render()}
      >
        Render lane {letter}
      </Button>
      {seconds === null ? null : (
        <p className="text-sm text-quiet" data-testid="rendered">
          {result.width} × {result.height} px rendered in {seconds.toFixed(1)} s.
        </p>
      )}
      <Button
        disabled={!isReady}
        help="32-bit float, linear, with the whole recipe in its history cards"
        onClick={() => void exportFits()}
      >
        FITS, 32-bit float
      </Button>
      <Button disabled={!isReady} help="With the display stretch, 65536 levels" onClick={() => void exportPng(16)}>
        PNG, 16-bit
      </Button>
      <Button disabled={!isReady} help="With the display stretch, 256 levels" onClick={() => void exportPng(8)}>
        PNG, 8-bit
      </Button>
      <Button help="The steps and settings, to use them in another project" onClick={exportChain}>
        Chain, JSON
      </Button>
      <p className="text-sm text-quiet">
        FITS keeps the linear data. PNG is as you see it here. A chain is imported on the Compare screen, into any lane
        of any project.
      </p>
    </section>
  );
}
