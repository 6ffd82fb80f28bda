"use client";

import { MapPin } from "lucide-react";
import { useEffect } from "react";
import { addSpot, shownLanes } from "@/state/board";
import type { Board, Lane, StackRecord, View } from "@/storage";
import { useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { PlacedCrop } from "../viewer/placedCrop";
import { useSize } from "../viewer/useSize";
import { useDesk, useDeskStore } from "./desk";
import type { CellView } from "./geometry";
import { cellPlaces, LOUPE_SIDES, loupeRoom, squareColumns } from "./geometry";
import { LaneChip, laneWords } from "./laneHeader";
import type { Latency } from "./latency";
import { PointerReadout, usePointing } from "./pointer";
import type { Before, LaneView } from "./useLaneCrop";
import { useLaneCrop, useLaneView } from "./useLaneCrop";

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: Before;
  latency: Latency;
}

/** The whole picture of every lane; a loupe in each shows the place under the pointer, the same in all. A click holds it there. */
export function WholeView({ board, stacks, before, latency }: Props) {
  const desk = useDeskStore();
  useEffect(() => () => desk.setState({ loupe: null, pointer: null }), [desk]);
  const lanes = shownLanes(board);
  const columns = squareColumns(lanes.length);
  return (
    <div
      className="grid min-h-0 flex-1 gap-px overflow-auto bg-page"
      style={{
        gridTemplateColumns: `repeat(${columns}, minmax(200px, 1fr))`,
        gridTemplateRows: `repeat(${Math.ceil(lanes.length / columns)}, minmax(200px, 1fr))`,
      }}
      data-testid="whole-view"
    >
      {lanes.map((lane) => (
        <WholeLane key={lane.id} {...{ lane, board, before, latency }} first={stacks[0]} />
      ))}
    </div>
  );
}

interface LaneProps extends Omit<Props, "stacks"> {
  lane: Lane;
  first: StackRecord;
}

function WholeLane({ lane, board, first, before, latency }: LaneProps) {
  const session = useSession();
  const { view, settling, error } = useLaneView(lane, board, first);
  const isChosen = board.selectedLaneId === lane.id;
  return (
    <div className="flex min-h-0 min-w-0 flex-col bg-page outline outline-1 outline-line">
      <button
        type="button"
        aria-pressed={isChosen}
        title={`${laneWords(lane)}. Click to change this lane's chain.`}
        className={`flex h-7 shrink-0 items-center gap-1.5 px-1.5 text-left ${isChosen ? "bg-raised" : "bg-panel"}`}
        onClick={() => session.board.amend((b) => ({ ...b, selectedLaneId: lane.id }))}
      >
        <LaneChip letter={lane.letter} />
        <span className="min-w-0 flex-1 truncate text-sm">{laneWords(lane)}</span>
        {settling ? <span className="text-xs text-quiet">measuring …</span> : null}
      </button>
      {view ? (
        <WholePicture {...{ board, view, before, latency }} project={first.facts} />
      ) : (
        <p role="alert" className="p-3 text-warn">
          {error}
        </p>
      )}
    </div>
  );
}

interface PictureProps {
  board: Board;
  view: LaneView;
  project: { width: number; height: number };
  before: Before;
  latency: Latency;
}

/** Spots do not matter to a whole picture. */
const ANYWHERE = { id: "whole", name: "the whole picture", x: 0, y: 0 };
const WHOLE: View = { zoom: "fit", panX: 0, panY: 0 };

function WholePicture({ board, view, project, before, latency }: PictureProps) {
  const desk = useDeskStore();
  const isNoise = board.look.shows.part === "noise";
  const { box: frame, size: room } = useSize();
  const { width, height, beside } = loupeRoom(room, project);
  const { box, seen, ready, treated, shown, curves, noiseSpan } = useLaneCrop(
    view,
    ANYWHERE,
    WHOLE,
    project,
    before,
    isNoise,
  );
  const point = usePointing(seen, view.toPicture);
  const place = useDesk((state) => state.loupe ?? state.pointer);
  return (
    <div ref={frame} className="relative min-h-0 flex-1 overflow-hidden">
      <div
        ref={box}
        role="img"
        aria-label={`Lane ${view.lane.letter}, the whole picture`}
        className="relative cursor-crosshair touch-none overflow-hidden"
        style={{ width, height }}
        data-cell={`${view.lane.letter}:whole`}
        data-pending={treated.pending || view.treatment === null}
        {...point}
        onClick={(event) => {
          const bounds = event.currentTarget.getBoundingClientRect();
          const at = cellPlaces(seen, view.toPicture).toProject(
            event.clientX - bounds.left,
            event.clientY - bounds.top,
          );
          desk.setState(({ loupe }) => ({ loupe: loupe ? null : at }));
        }}
      >
        <PlacedCrop
          {...{ shown, curves, noiseSpan }}
          shows={board.look.shows}
          left={seen.left}
          top={seen.top}
          scale={seen.scale}
          pending={treated.pending}
          onDrawn={latency.drawn}
        />
        {treated.pending && (!shown || treated.share !== null) ? (
          <p
            className={`absolute flex items-center justify-center text-sm text-quiet ${shown ? "top-0.5 left-1 rounded bg-page/70 px-1" : "inset-0"}`}
          >
            treating the whole picture … {treated.share === null ? "" : `${Math.floor(100 * treated.share)} %`}
          </p>
        ) : null}
      </div>
      {ready && place ? <Loupe {...{ board, view, project, before, seen, place, beside }} /> : null}
      {ready ? <PointerReadout lane={view} seen={seen} shown={shown} /> : null}
      {treated.error ? (
        <div role="alert" className="absolute inset-0 overflow-auto bg-panel p-2 text-sm text-warn">
          {treated.error.message} {treated.error.advice}
        </div>
      ) : null}
    </div>
  );
}

/** Zoom of the loupe where that of the crops is the whole picture. */
const LOUPE_ZOOM = 2;

interface LoupeProps extends Omit<PictureProps, "latency"> {
  seen: CellView;
  place: readonly [number, number];
  beside: ReturnType<typeof loupeRoom>["beside"];
}

/** The place at the zoom of the crops: beside the picture, or in its corner that lies farthest from the place. */
function Loupe({ board, view, project, before, seen, place, beside }: LoupeProps) {
  const session = useSession();
  const isHeld = useDesk((state) => state.loupe !== null);
  const [x, y] = place;
  const zoom = board.view.zoom === "fit" ? LOUPE_ZOOM : board.view.zoom;
  const [u, v] = cellPlaces(seen, view.toPicture).toCell([x, y]);
  const { cell } = seen;
  const side = Math.min(LOUPE_SIDES.most, Math.round(0.45 * Math.min(cell.width, cell.height)));
  const { width, height } = beside ?? { width: side, height: side };
  const corner = `${u < cell.width / 2 ? "right-1" : "left-1"} ${v < cell.height / 2 ? "bottom-6" : "top-1"}`;
  const isNoise = board.look.shows.part === "noise";
  const spot = { id: "loupe", name: "the loupe", x, y };
  const { box, ...of } = useLaneCrop(view, spot, { zoom, panX: 0, panY: 0 }, project, before, isNoise);
  // What the loupe covers, on the picture.
  const covered = { width: (width / zoom) * seen.scale, height: (height / zoom) * seen.scale };
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
        <rect
          x={u - covered.width / 2}
          y={v - covered.height / 2}
          {...covered}
          fill="none"
          stroke="#e0a44a"
          strokeDasharray={isHeld ? undefined : "3 3"}
        />
      </svg>
      <div
        className={`absolute border border-quiet bg-page ${beside ? "" : corner}`}
        style={{ left: beside?.left, top: beside?.top, width: width + 2, height: height + 2 }}
        data-testid={`loupe-${view.lane.letter}`}
        data-pending={of.treated.pending}
        onClick={(event) => event.stopPropagation()}
      >
        <div ref={box} className="absolute inset-0 overflow-hidden">
          <PlacedCrop
            shown={of.shown}
            curves={of.curves}
            noiseSpan={of.noiseSpan}
            shows={board.look.shows}
            left={of.seen.left}
            top={of.seen.top}
            scale={of.seen.scale}
            pending={of.treated.pending}
          />
        </div>
        <span className="figures absolute top-0.5 left-1 rounded bg-page/70 px-1 text-xs">{zoom}:1</span>
        {isHeld ? (
          <IconButton
            label="Make a spot of this place"
            className="absolute right-0.5 bottom-0.5 !bg-page/70"
            onClick={() => session.board.change((b) => addSpot(b, Math.round(x), Math.round(y)))}
          >
            <MapPin size={14} />
          </IconButton>
        ) : null}
      </div>
    </>
  );
}
