"use client";

import { useState } from "react";
import type { Spot } from "@/core/compare";
import { duplicateLane, keepRung, removeLane, rungsOf, spotOf } from "@/state/board";
import type { Board, Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { CropCell } from "./cropCell";
import { focusSetting } from "./focusSetting";
import { cropTime, LaneChip, LaneHeader, laneWords } from "./laneHeader";
import type { Latency } from "./latency";
import { useLaneView } from "./useLaneCrop";

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: boolean;
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
  const spots = layout === "spot" && spot ? [spot] : board.spots;
  const columns = layout === "spot" ? squareColumns(lanes.length) : lanes.length;
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
            gridTemplateRows: `repeat(${Math.ceil(lanes.length / columns)}, minmax(0, 1fr))`,
          }}
        >
          {lanes.map((lane, k) => (
            <LaneColumn
              key={lane.id}
              {...{ lane, board, spots, before, latency }}
              first={stacks[0]}
              spotColumns={isOneLane ? squareColumns(spots.length) : 1}
              onPan={pan}
              rungValue={rungs[k]?.value}
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
  before: boolean;
  latency: Latency;
  onPan: (dx: number, dy: number) => void;
  rungValue: number | undefined;
}

function LaneColumn({ lane, board, spots, spotColumns, first, before, latency, onPan, rungValue }: ColumnProps) {
  const session = useSession();
  const { view, settling, error } = useLaneView(lane, board, first);
  const [cropMs, setCropMs] = useState<number | null>(null);
  const isRung = rungValue !== undefined;
  const field = board.ladder?.field;
  return (
    <div className="flex min-h-0 min-w-0 flex-col gap-px">
      {isRung ? (
        <div className="flex h-15 items-center gap-2 bg-panel px-1.5">
          <LaneChip letter={lane.letter} />
          <span className="figures flex-1">
            {rungValue}
            <span className="block text-xs whitespace-nowrap text-quiet" title="Time of one crop">
              {cropTime(cropMs)}
            </span>
          </span>
          <Button
            help="Keeps this value as the lane's setting and closes the ladder"
            onClick={() => {
              session.board.change((b) => keepRung(b, rungValue));
              session.note(`Of the ladder of ${field ?? "a setting"}, ${rungValue} was kept (${laneWords(lane)})`);
              if (field) focusSetting(field);
            }}
          >
            Keep
          </Button>
        </div>
      ) : (
        <LaneHeader
          lane={lane}
          selected={board.selectedLaneId === lane.id}
          settling={settling}
          cropMs={cropMs}
          onSelect={() => session.board.amend((b) => ({ ...b, selectedLaneId: lane.id }))}
          onDuplicate={() => session.board.change((b) => duplicateLane(b, lane.id))}
          onRemove={board.lanes.length > 1 ? () => session.board.change((b) => removeLane(b, lane.id)) : undefined}
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

function LadderBar({ board }: { board: Board }) {
  const session = useSession();
  const lane = board.lanes.find(({ id }) => id === board.ladder?.laneId);
  return (
    <div className="flex h-9 shrink-0 items-center gap-3 border-b border-line bg-panel px-2">
      <span className="flex-1 truncate">
        Ladder of lane {lane?.letter}:{" "}
        <span className="text-quiet">
          {board.ladder?.field} at {board.ladder?.values.join(", ")}
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
