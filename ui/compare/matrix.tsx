"use client";

import { useState } from "react";
import type { Spot } from "@/core/compare";
import {
  bringBackLane,
  copyChain,
  duplicateLane,
  laneOnStack,
  moveLane,
  removeLane,
  shownLanes,
  spotOf,
} from "@/state/board";
import type { Rung } from "@/state/ladder";
import { rungsOf } from "@/state/ladder";
import type { Board, Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import type { MenuEntry } from "../kit/actionMenu";
import { SortableList, useSorted } from "../kit/sortable";
import { CropCell } from "./cropCell";
import { squareColumns } from "./geometry";
import type { RungError } from "./ladderParts";
import { LadderBar, RungHeader, rungErrorOf } from "./ladderParts";
import { LaneHeader, laneWords } from "./laneHeader";
import type { Latency } from "./latency";
import type { Before } from "./useLaneCrop";
import { useLadderErrors } from "./useLadderErrors";
import { useLaneView } from "./useLaneCrop";

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: Before;
  latency: Latency;
}

/**
 * Lanes as columns, spots as rows: matching crops that always move together. Or all lanes at one spot, or one lane at all spots, as large as they can be. A
 * ladder stands in for the lanes while open.
 */
export function Matrix({ board, stacks, before, latency }: Props) {
  const session = useSession();
  const rungs = rungsOf(board);
  const all = rungs.length > 0 ? rungs.map(({ lane }) => lane) : shownLanes(board);
  const errors = useLadderErrors(board, rungs);
  const [errorSpot, setErrorSpot] = useState<string | null>(null);
  const told = (errorSpot === null ? null : errors.bySpot.get(errorSpot)) ?? errors.told;
  const { layout } = board.look;
  const spot = spotOf(board);
  const isOneLane = layout === "lane" && rungs.length === 0;
  const chosen = board.lanes.find(({ id }) => id === board.selectedLaneId) ?? board.lanes[0];
  const lanes = isOneLane ? [chosen] : all;
  const isGrid = board.ladder !== null && board.ladder.second !== null && rungs.length > 0;
  const spots = (layout === "spot" || isGrid) && spot ? [spot] : board.spots;
  const columns = isGrid
    ? (board.ladder?.values.length ?? 1)
    : layout === "spot"
      ? squareColumns(lanes.length)
      : lanes.length;
  const pan = (dx: number, dy: number) =>
    session.board.amend((b) => ({ ...b, view: { ...b.view, panX: b.view.panX + dx, panY: b.view.panY + dy } }));
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      {board.ladder ? <LadderBar {...{ board, rungs, errors, told, errorSpot }} onErrorSpot={setErrorSpot} /> : null}
      <div className="min-h-0 flex-1 overflow-x-auto overflow-y-auto bg-page">
        <div
          className="grid h-full min-h-[420px] gap-px"
          style={{
            gridTemplateColumns: `repeat(${columns}, minmax(140px, 1fr))`,
            gridTemplateRows: `repeat(${Math.ceil(lanes.length / columns)}, minmax(${isGrid ? 160 : 0}px, 1fr))`,
          }}
        >
          <SortableList
            ids={lanes.map(({ id }) => id)}
            onMove={(from, to) => session.board.change((b) => moveLane(b, lanes[from].id, lanes[to].id))}
          >
            {lanes.map((lane, k) => (
              <LaneColumn
                key={lane.id}
                {...{ lane, board, stacks, spots, before, latency }}
                first={stacks[0]}
                spotColumns={isOneLane ? squareColumns(spots.length) : 1}
                onPan={pan}
                rung={rungs[k] ?? null}
                error={rungErrorOf(told, k)}
              />
            ))}
          </SortableList>
        </div>
      </div>
    </div>
  );
}

interface ColumnProps {
  lane: Lane;
  board: Board;
  spots: Spot[];
  spotColumns: number;
  first: StackRecord;
  before: Before;
  latency: Latency;
  onPan: (dx: number, dy: number) => void;
  rung: Rung | null;
  error: RungError | null;
  stacks: StackRecord[];
}

function LaneColumn(props: ColumnProps) {
  const { lane, board, stacks, spots, spotColumns, first, before, latency, onPan, rung, error: errorOfRung } = props;
  const session = useSession();
  const { view, settling, error } = useLaneView(lane, board, first, rung?.rank ?? 0);
  const [cropMs, setCropMs] = useState<number | null>(null);
  const change = session.board.change.bind(session.board);
  const at = board.lanes.findIndex(({ id }) => id === lane.id);
  const { ref, style, grip } = useSorted(lane.id, rung !== null);
  const others = board.lanes.filter(({ id }) => id !== lane.id);
  const entries: MenuEntry[] = [
    { label: "Move to the left", act: () => change((b) => moveLane(b, lane.id, b.lanes[at - 1]?.id)) },
    { label: "Move to the right", act: () => change((b) => moveLane(b, lane.id, b.lanes[at + 1]?.id)) },
    ...others.map((other, k) => ({
      label: `of lane ${other.letter}`,
      act: () => change((b) => copyChain(b, lane.id, other.id)),
      ...(k === 0 ? { heading: "Its chain in place of that" } : {}),
    })),
    ...(others.length > 1
      ? [{ label: "of all other lanes", act: () => change((b) => copyChain(b, lane.id, null)) }]
      : []),
    ...stacks
      .filter(({ id }) => id !== lane.stackId)
      .map((stack, k) => ({
        label: stack.name,
        act: () => change((b) => laneOnStack(b, lane.id, stack.id)),
        ...(k === 0 ? { heading: "The same chain, as a lane, on the stack" } : {}),
      })),
    ...board.removed.map((gone, k) => ({
      label: `${gone.letter}: ${laneWords(gone)}`,
      act: () => change((b) => bringBackLane(b, gone.id)),
      ...(k === 0 ? { heading: "Bring back" } : {}),
    })),
  ];
  return (
    <div {...{ ref, style }} className="flex min-h-0 min-w-0 flex-col gap-px bg-line outline outline-1 outline-line">
      {rung ? (
        <RungHeader {...{ board, lane, rung, cropMs }} error={errorOfRung} />
      ) : (
        <LaneHeader
          lane={lane}
          selected={board.selectedLaneId === lane.id}
          settling={settling}
          cropMs={cropMs}
          {...{ entries, grip }}
          onSelect={() => session.board.amend((b) => ({ ...b, selectedLaneId: lane.id }))}
          onDuplicate={() => change((b) => duplicateLane(b, lane.id))}
          onRemove={board.lanes.length > 1 ? () => change((b) => removeLane(b, lane.id)) : undefined}
        />
      )}
      {view ? (
        <div
          className="grid min-h-0 flex-1 gap-px"
          style={{
            gridTemplateColumns: `repeat(${spotColumns}, minmax(0, 1fr))`,
            gridTemplateRows: `repeat(${Math.ceil(spots.length / spotColumns)}, minmax(126px, 1fr))`,
          }}
        >
          {spots.map((spot) => (
            <CropCell
              key={spot.id}
              {...{ board, spot, before, latency, onPan }}
              lane={view}
              project={first.facts}
              onTime={setCropMs}
            />
          ))}
        </div>
      ) : (
        <div role="alert" className="flex-1 bg-page p-3 text-warn">
          {error}
        </div>
      )}
    </div>
  );
}
