"use client";

import Link from "next/link";
import { useRef, useState } from "react";
import { CREATOR } from "@/core/version";
import { chainToJson, stateAfter } from "@/core/chain";
import { untouchedState } from "@/core/operations";
import { wholeRegion } from "@/core/raster";
import { PRIORITY } from "@/engine/pool";
import { blobRef, renderPicture } from "@/engine/jobs/render";
import type { Treatment } from "@/engine/tasks/crop";
import { shownByOf } from "@/state/display";
import type { Board, Lane, StackRecord } from "@/storage";
import { laneWords, LaneChip } from "../compare/laneHeader";
import { LanePicture } from "../compare/lanePicture";
import { useLaneTreatment } from "../compare/useTreatment";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { megabytes } from "../kit/format";
import { EmptyState } from "../kit/notice";
import { download } from "./download";

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
  const lane = board.lanes.find(({ id }) => id === (laneId ?? board.selectedLaneId)) ?? board.lanes[0];
  const stack = stacks.find(({ id }) => id === lane.stackId) ?? stacks[0];
  return <Finish key={lane.id} lane={lane} board={board} stack={stack} onLane={setLaneId} />;
}

interface Rendered {
  blob: Blob;
  treatment: Treatment;
  seconds: number;
}

function Finish({
  lane,
  board,
  stack,
  onLane,
}: {
  lane: Lane;
  board: Board;
  stack: StackRecord;
  onLane: (id: string) => void;
}) {
  const session = useSession();
  const shownBy = shownByOf(
    board,
    lane,
    stack,
    useProject((state) => state.stacks),
  );
  const { steps, treatment, settling } = useLaneTreatment(lane);
  const [exported, setExported] = useState<{ name: string; bytes: number }[]>([]);
  const rendered = useRef<Rendered | null>(null);
  const [seconds, setSeconds] = useState<number | null>(null);
  const result = stateAfter(lane.steps, untouchedState(stack.facts));
  const stretched = result.domain === "stretched";
  const title = `Lane ${lane.letter}: ${laneWords(lane)}`;
  const base = `${session.project.name}-${lane.letter}`.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();

  /** The lane rendered whole as float FITS; once for each state of the lane. */
  const render = async (): Promise<Blob | null> => {
    if (!treatment) return null;
    if (rendered.current?.treatment === treatment) return rendered.current.blob;
    const started = performance.now();
    const wanted = { treatment, result, region: wholeRegion(result), title };
    const blob = await session.jobs.run("render", `Rendering lane ${lane.letter}`, (control) =>
      renderPicture(session.pool, wanted, control),
    );
    if (blob) {
      rendered.current = { blob, treatment, seconds: (performance.now() - started) / 1000 };
      setSeconds(rendered.current.seconds);
    }
    return blob;
  };
  const hand = (name: string, blob: Blob) => {
    download(name, blob);
    setExported((before) => [...before, { name, bytes: blob.size }]);
  };
  const exportFits = async () => {
    const blob = await render();
    if (blob) hand(`${base}.fits`, blob);
  };
  const exportPng = async (depth: 8 | 16) => {
    const blob = await render();
    if (!blob) return;
    const bytes = await session.jobs.run("export", `Writing a ${depth}-bit PNG`, ({ signal, onProgress }) =>
      session.pool.run(
        "encodePng",
        {
          picture: blobRef(`${lane.id}-${performance.now()}`, title, blob),
          depth,
          shownBy: stretched ? null : shownBy,
          text: { Software: CREATOR, Description: chainToJson(title, steps) },
        },
        { priority: PRIORITY.view, signal, onProgress },
      ),
    );
    if (bytes) hand(`${base}-${depth}bit.png`, new Blob([bytes as BlobPart], { type: "image/png" }));
  };
  return (
    <div className="flex h-full">
      <aside className="flex w-72 shrink-0 flex-col gap-4 overflow-auto border-r border-line bg-panel p-3">
        <section>
          <h2 className="mb-1 text-quiet">Lane</h2>
          <ul aria-label="Lane to finish">
            {board.lanes.map((other) => (
              <li key={other.id}>
                <button
                  type="button"
                  aria-pressed={other.id === lane.id}
                  className={`flex w-full items-start gap-2 rounded px-1.5 py-1 text-left ${other.id === lane.id ? "bg-raised" : "hover:bg-raised"}`}
                  onClick={() => onLane(other.id)}
                >
                  <LaneChip letter={other.letter} />
                  <span className="text-sm leading-5">{laneWords(other)}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
        <section className="flex flex-col items-start gap-2">
          <h2 className="text-quiet">Render and export</h2>
          <Button
            kind="primary"
            disabled={!treatment || settling}
            help="Treats the whole picture at full size"
            onClick={() => void render()}
          >
            Render lane {lane.letter}
          </Button>
          {seconds === null ? null : (
            <p className="text-sm text-quiet" data-testid="rendered">
              {result.width} × {result.height} px rendered in {seconds.toFixed(1)} s.
            </p>
          )}
          <Button
            disabled={!treatment || settling}
            help="32-bit float, linear, with the whole recipe in its history cards"
            onClick={() => void exportFits()}
          >
            FITS, 32-bit float
          </Button>
          <Button
            disabled={!treatment || settling}
            help="With the display stretch, 65536 levels"
            onClick={() => void exportPng(16)}
          >
            PNG, 16-bit
          </Button>
          <Button
            disabled={!treatment || settling}
            help="With the display stretch, 256 levels"
            onClick={() => void exportPng(8)}
          >
            PNG, 8-bit
          </Button>
          <Button
            help="The steps and settings, to use them in another project"
            onClick={() =>
              hand(`${base}-chain.json`, new Blob([chainToJson(title, steps)], { type: "application/json" }))
            }
          >
            Chain, JSON
          </Button>
          <p className="text-sm text-quiet">
            FITS keeps the linear data. PNG is as you see it here. A chain is imported on the Compare screen, into any
            lane of any project.
          </p>
        </section>
        {exported.length > 0 ? (
          <section>
            <h2 className="text-quiet">Exported</h2>
            <ul data-testid="exported">
              {exported.map((file, i) => (
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
