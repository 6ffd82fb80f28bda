"use client";

import { CopyPlus } from "lucide-react";
import { useState } from "react";
import type { Spot } from "@/core/compare";
import { findOperation } from "@/core/operations";
import { bringBackLane, copyChain, duplicateLane, laneOnStack, moveLane, removeLane, spotOf } from "@/state/board";
import type { Rung } from "@/state/ladder";
import { keepRung, rungAsLane, rungsOf } from "@/state/ladder";
import type { Board, Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import type { MenuEntry } from "../kit/actionMenu";
import { Button, IconButton } from "../kit/button";
import { CropCell } from "./cropCell";
import { focusSetting } from "./focusSetting";
import { cropTime, LaneChip, LaneHeader, laneWords } from "./laneHeader";
import type { Latency } from "./latency";
import type { Before } from "./useLaneCrop";
import { useLaneView } from "./useLaneCrop";

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: Before;
  latency: Latency;
}

/** Columns in which so many crops are largest: two beside one another, four as a square. */
const squareColumns = (count: number): number => Math.ceil(Math.sqrt(count));

/**
 * Lanes as columns, spots as rows: matching crops that always move together. Or all lanes at one spot, or one lane at all spots, as large as they can be. A
 * ladder stands in for the lanes while open.
 */
export function Matrix({ board, stacks, before, latency }: Props) {
  const session = useSession();
  const rungs = rungsOf(board);
  const all = rungs.length > 0 ? rungs.map(({ lane }) => lane) : board.lanes;
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
      {board.ladder ? <LadderBar board={board} /> : null}
      <div className="min-h-0 flex-1 overflow-x-auto overflow-y-auto bg-line">
        <div
          className="grid h-full min-h-[420px] gap-px"
          style={{
            gridTemplateColumns: `repeat(${columns}, minmax(140px, 1fr))`,
            gridTemplateRows: `repeat(${Math.ceil(lanes.length / columns)}, minmax(${isGrid ? 172 : 0}px, 1fr))`,
          }}
        >
          {lanes.map((lane, k) => (
            <LaneColumn
              key={lane.id}
              {...{ lane, board, stacks, spots, before, latency }}
              first={stacks[0]}
              spotColumns={isOneLane ? squareColumns(spots.length) : 1}
              onPan={pan}
              rung={rungs[k] ?? null}
            />
          ))}
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
  stacks: StackRecord[];
}

function LaneColumn({ lane, board, stacks, spots, spotColumns, first, before, latency, onPan, rung }: ColumnProps) {
  const session = useSession();
  const { view, settling, error } = useLaneView(lane, board, first, rung?.rank ?? 0);
  const [cropMs, setCropMs] = useState<number | null>(null);
  const change = session.board.change.bind(session.board);
  const others = board.lanes.filter(({ id }) => id !== lane.id);
  const entries: MenuEntry[] = [
    { label: "Move to the left", act: () => change((b) => moveLane(b, lane.id, -1)) },
    { label: "Move to the right", act: () => change((b) => moveLane(b, lane.id, 1)) },
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
    <div className="flex min-h-0 min-w-0 flex-col gap-px">
      {rung ? (
        <RungHeader board={board} lane={lane} rung={rung} cropMs={cropMs} />
      ) : (
        <LaneHeader
          lane={lane}
          selected={board.selectedLaneId === lane.id}
          settling={settling}
          cropMs={cropMs}
          entries={entries}
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
            gridTemplateRows: `repeat(${Math.ceil(spots.length / spotColumns)}, minmax(130px, 1fr))`,
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

/** The values of a rung; it is kept as the lane's setting, or as a lane of its own. */
function RungHeader({ board, lane, rung, cropMs }: { board: Board; lane: Lane; rung: Rung; cropMs: number | null }) {
  const session = useSession();
  const field = board.ladder?.field;
  const { value, second } = rung;
  const values = second === null ? String(value) : `${value} · ${second}`;
  const keep = () => {
    session.board.change((b) => keepRung(b, value, second));
    session.note(`Of the ladder of ${field ?? "a setting"}, ${values} was kept (${laneWords(lane)})`);
    if (field) focusSetting(field);
  };
  const isGrid = second !== null;
  return (
    <div
      className={`flex shrink-0 items-center gap-1 overflow-hidden bg-panel px-1.5 ${isGrid ? "h-8" : "h-15"}`}
      data-rung={lane.letter}
    >
      {isGrid ? null : <LaneChip letter={lane.letter} />}
      <span className="figures min-w-0 flex-1 truncate" title={values}>
        {values}
        {isGrid ? null : (
          <span className="block text-xs whitespace-nowrap text-quiet" title="Time of one crop">
            {cropTime(cropMs)}
          </span>
        )}
      </span>
      <Button
        className="!px-1.5 !py-0.5 text-sm"
        help="Keeps this value as the lane's setting and closes the ladder"
        onClick={keep}
      >
        Keep
      </Button>
      <IconButton
        label={`Make a lane of its own of rung ${lane.letter}`}
        help="Makes a lane of its own of a rung; the ladder stays open"
        onClick={() => session.board.change((b) => rungAsLane(b, value, second))}
      >
        <CopyPlus size={14} />
      </IconButton>
    </div>
  );
}

function LadderBar({ board }: { board: Board }) {
  const session = useSession();
  const lane = board.lanes.find(({ id }) => id === board.ladder?.laneId);
  return (
    <div className="flex h-9 shrink-0 items-center gap-3 border-b border-line bg-panel px-2">
      <span className="flex-1 truncate">
        Ladder of lane {lane?.letter}:{" "}
        <span className="text-quiet">
          {settingLabel(lane, board.ladder)} at {board.ladder?.values.join(", ")}
          {board.ladder?.second
            ? `, by rows ${settingLabel(lane, board.ladder.second)} at ${board.ladder.second.values.join(", ")}, at ${spotOf(board)?.name ?? "the spot"}`
            : ""}
        </span>
      </span>
      <Button
        help="Closes the ladder and shows the lanes again; nothing changes"
        onClick={() => session.board.change((b) => ({ ...b, ladder: null }))}
      >
        Close ladder
      </Button>
    </div>
  );
}

/** What a setting of a lane is called. */
function settingLabel(lane: Lane | undefined, of: { stepId: string; field: string } | null): string {
  const step = lane?.steps.find(({ id }) => id === of?.stepId);
  const fields = step ? findOperation(step.operation)?.parameters.fields : undefined;
  return fields?.find(({ name }) => name === of?.field)?.label.toLowerCase() ?? of?.field ?? "";
}
