"use client";

import Link from "next/link";
import { memo, useDeferredValue, useEffect, useMemo } from "react";
import { useKeys } from "../kit/useKeys";
import { useStore } from "zustand";
import { spotOf } from "@/state/board";
import type { Board, Layout, Look, StackRecord, View } from "@/storage";
import { ZOOMS } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { EmptyState } from "../kit/notice";
import { useHeldKey } from "../kit/useHeldKey";
import { ChainEditor } from "./chainEditor";
import type { Latency } from "./latency";
import { createLatency } from "./latency";
import { BlindTrial } from "./blindTrial";
import type { Desk } from "./desk";
import { createDesk, DeskContext } from "./desk";
import { EqualBar } from "./equalBar";
import { EvidencePanel } from "./evidencePanel";
import { Matrix } from "./matrix";
import { MeasuresTable } from "./measuresTable";
import { Overview } from "./overview";
import { PairView } from "./pairView";
import { ProfileChart } from "./profile";
import { ShownLine } from "./shownLine";
import { UnequalLine } from "./unequalLine";
import type { Before } from "./useLaneCrop";
import { ViewBar } from "./viewBar";
import { WholeView } from "./wholeView";

/** The key of each layout. */
const LAYOUT_KEYS: Readonly<Record<string, Layout>> = { m: "matrix", s: "spot", l: "lane", p: "pair", o: "whole" };

/** The heart: approaches side by side at matching spots. */
export function CompareScreen() {
  const session = useSession();
  const stacks = useProject((state) => state.stacks);
  const board = useProject((state) => state.board?.present ?? null);
  const projectId = useProject((state) => state.project.id);
  const latency = useMemo(() => createLatency(), []);
  const desk = useMemo(() => createDesk(), []);
  const bar = useStore(desk, (state) => state.bar);
  const latencyMs = useStore(latency.store, (state) => state.ms);
  const isUntouched = useHeldKey("b");
  const isStepBack = useHeldKey("v");
  const before = isUntouched ? "stack" : isStepBack ? "step" : null;
  const view = board?.view;
  useEffect(() => latency.forget(), [latency, view]);
  // A changed setting is shown beside its lever at once; what it does to crops and bars is worked out in slices, so that the page never waits. What is moved or laid out anew is so at once.
  const earlier = useDeferredValue(board);
  const isLaidOutAlike =
    board !== null &&
    earlier?.view === board.view &&
    earlier.look === board.look &&
    earlier.ladder === board.ladder &&
    earlier.lanes.length === board.lanes.length;
  const later = isLaidOutAlike ? earlier : board;
  const look = (change: (view: View) => Partial<View>) =>
    session.board.amend((b) => ({ ...b, view: { ...b.view, ...change(b.view) } }));
  const pan = (dx: number, dy: number) => look((view) => ({ panX: view.panX + dx, panY: view.panY + dy }));

  useKeys("mod+z", (event) => (event.preventDefault(), session.board.undo()));
  useKeys("mod+shift+z,mod+y", (event) => (event.preventDefault(), session.board.redo()));
  useKeys("0,1,2,3,4", (event) => look(() => ({ zoom: ZOOMS[Number(event.key)] })));
  useKeys("left", () => pan(-8, 0));
  useKeys("right", () => pan(8, 0));
  useKeys("up", () => pan(0, -8));
  useKeys("down", () => pan(0, 8));
  useKeys("home", () => look(() => ({ panX: 0, panY: 0 })));
  const lay = (change: (look: Look, board: Board) => Partial<Look>) =>
    session.board.amend((b) => ({ ...b, look: { ...b.look, ...change(b.look, b) } }));
  useKeys("m,s,l,p,o", (event) => {
    // The blind trial has keys of its own.
    if (desk.getState().bar !== "blind") lay(() => ({ layout: LAYOUT_KEYS[event.key] }));
  });
  useKeys("e", () => lay(({ side }) => ({ side: side === "evidence" ? "chain" : "evidence", foldedSide: false })));
  useKeys("t", () => lay(({ measures }) => ({ measures: !measures })));
  useKeys("q", () => lay(({ foldedSpots }) => ({ foldedSpots: !foldedSpots })));
  useKeys("w", () => lay(({ foldedSide }) => ({ foldedSide: !foldedSide })));
  useKeys("n", () => desk.setState(({ bar }) => ({ bar: bar === "equal" ? null : "equal" })));
  useKeys("comma,period", (event) =>
    lay((_, b) => {
      const at = b.spots.findIndex(({ id }) => id === spotOf(b)?.id);
      const next = b.spots[(at + (event.key === "," ? -1 : 1) + b.spots.length) % b.spots.length];
      return next ? { spotId: next.id } : {};
    }),
  );
  useKeys("shift+left,shift+right", (event) =>
    session.board.amend((b) => {
      const at = b.lanes.findIndex(({ id }) => id === b.selectedLaneId);
      const next = b.lanes[(at + (event.key === "ArrowLeft" ? -1 : 1) + b.lanes.length) % b.lanes.length];
      return next ? { ...b, selectedLaneId: next.id } : b;
    }),
  );

  if (stacks.length === 0)
    return (
      <EmptyState title="Nothing to compare yet">
        Make a stack on the{" "}
        <Link className="text-accent underline" href={`/p/${projectId}/stack`}>
          Stack
        </Link>{" "}
        screen first; its lanes appear here.
      </EmptyState>
    );
  if (!board)
    return (
      <EmptyState title="No lanes yet">
        <Button kind="primary" onClick={() => session.board.begin(stacks[stacks.length - 1])}>
          Start with a first set of lanes
        </Button>
      </EmptyState>
    );
  const selected = board.lanes.find(({ id }) => id === board.selectedLaneId) ?? null;
  const isBlind = bar === "blind";
  const { look: now } = board;
  return (
    // The time from the last change to the last crop that followed is for the tests, not for the eye.
    <DeskContext value={desk}>
      <div
        className="flex h-full min-w-0"
        data-latency-ms={latencyMs ?? undefined}
        data-behind={later === board ? undefined : true}
      >
        {now.foldedSpots ? null : <Overview board={board} stack={stacks[0]} />}
        <div className="flex min-w-0 flex-1 flex-col">
          <ViewBar board={board} />
          {bar === "equal" ? <EqualBar board={board} /> : null}
          <Panes board={later ?? board} {...{ stacks, before, latency, bar }} />
        </div>
        {now.foldedSide || isBlind ? null : now.side === "evidence" ? (
          <aside className="flex w-64 shrink-0 flex-col border-l border-line bg-panel xl:w-72" aria-label="Evidence">
            <EvidencePanel board={board} first={stacks[0]} />
          </aside>
        ) : (
          <Chain board={board} lane={selected} stacks={stacks} latency={latency} />
        )}
      </div>
    </DeskContext>
  );
}

const Chain = memo(ChainEditor);

interface PanesProps {
  board: Board;
  stacks: StackRecord[];
  before: Before;
  latency: Latency;
  bar: Desk["bar"];
}

/** What is shown of the lanes, without anything that is typed in: rendered anew only where the board changed. */
const Panes = memo(function Panes({ board, stacks, before, latency, bar }: PanesProps) {
  const [first] = stacks;
  const { layout, measures } = board.look;
  if (bar === "blind") return <BlindTrial board={board} first={first} />;
  return (
    <>
      <UnequalLine board={board} stacks={stacks} />
      <ShownLine board={board} stacks={stacks} />
      {layout === "pair" && !board.ladder ? (
        <PairView {...{ board, stacks, before, latency }} />
      ) : layout === "whole" && !board.ladder ? (
        <WholeView {...{ board, stacks, before, latency }} />
      ) : (
        <Matrix {...{ board, stacks, before, latency }} />
      )}
      <ProfileChart board={board} first={first} />
      {measures ? <MeasuresTable board={board} first={first} /> : null}
    </>
  );
});
