"use client";

import { useMemo, useState } from "react";
import { stretchCurves } from "@/core/operations";
import { duplicateLane, keepRung, removeLane, rungsOf, stepOfBoard } from "@/state/board";
import { projectToStack } from "@/state/stackFrames";
import type { Board, Lane, StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { CropCell } from "./cropCell";
import { focusSetting } from "./focusSetting";
import { cropTime, LaneChip, LaneHeader } from "./laneHeader";
import type { Latency } from "./latency";
import { useDesk } from "./desk";
import { useLaneTreatment } from "./useTreatment";

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: boolean;
  latency: Latency;
}

/** Lanes as columns, spots as rows: matching crops that always move together. A ladder stands in for the lanes while open. */
export function Matrix({ board, stacks, before, latency }: Props) {
  const session = useSession();
  const rungs = rungsOf(board);
  const columns = rungs.length > 0 ? rungs.map(({ lane }) => lane) : board.lanes;
  const first = stacks[0];
  const pan = (dx: number, dy: number) =>
    session.board.amend((b) => ({ ...b, view: { ...b.view, panX: b.view.panX + dx, panY: b.view.panY + dy } }));
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      {board.ladder ? <LadderBar board={board} /> : null}
      <div className="min-h-0 flex-1 overflow-x-auto overflow-y-auto bg-line">
        <div
          className="grid h-full min-h-[420px] gap-px"
          style={{ gridTemplateColumns: `repeat(${columns.length}, minmax(140px, 1fr))` }}
        >
          {columns.map((lane, k) => (
            <LaneColumn
              key={lane.id}
              lane={lane}
              board={board}
              first={first}
              before={before}
              latency={latency}
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
  first: StackRecord;
  before: boolean;
  latency: Latency;
  onPan: (dx: number, dy: number) => void;
  rungValue: number | undefined;
}

function LaneColumn({ lane, board, first, before, latency, onPan, rungValue }: ColumnProps) {
  const session = useSession();
  const { stack, treatment, settling, error } = useLaneTreatment(lane);
  const toPicture = useMemo(() => (stack ? projectToStack(first, stack) : null), [first, stack]);
  const curves = useMemo(
    () => stretchCurves(board.display, (stack ?? first).facts.stretch),
    [board.display, stack, first],
  );
  const [cropMs, setCropMs] = useState<number | null>(null);
  const maskId = useDesk((desk) => desk.maskId);
  const mask = board.masks.find(({ id }) => id === maskId) ?? null;
  const skyOf = useDesk((desk) => desk.skyOf);
  const sky = useMemo(() => stepOfBoard(board, skyOf), [board, skyOf]);
  const psfOf = useDesk((desk) => desk.psfOf);
  const psf = useMemo(() => stepOfBoard(board, psfOf), [board, psfOf]);
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
      {error || !stack || !toPicture ? (
        <div role="alert" className="flex-1 bg-page p-3 text-warn">
          {error ??
            (stack
              ? `“${stack.name}” could not be tied to “${first.name}”: they share no sub, and their stars make no common pattern. No place in it is guessed; choose another stack for this lane at the right.`
              : "The stack of this lane is missing; choose another for it at the right.")}
        </div>
      ) : (
        <div
          className="grid min-h-0 flex-1 gap-px"
          style={{ gridTemplateRows: `repeat(${board.spots.length}, minmax(130px, 1fr))` }}
        >
          {board.spots.map((spot) => (
            <CropCell
              key={spot.id}
              letter={lane.letter}
              spot={spot}
              stack={stack}
              treatment={treatment}
              toPicture={toPicture}
              project={first.facts}
              mask={mask}
              sky={sky}
              psf={psf}
              view={board.view}
              curves={curves}
              before={before}
              latency={latency}
              onTime={setCropMs}
              onPan={onPan}
            />
          ))}
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
