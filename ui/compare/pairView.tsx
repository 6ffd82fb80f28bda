"use client";

import { useEffect, useState } from "react";
import type { Spot } from "@/core/compare";
import { pairOf, spotOf } from "@/state/board";
import type { Board, Lane, Look, StackRecord } from "@/storage";
import { PAIR_WAYS } from "@/storage";
import { useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { NumberField } from "../kit/setting";
import { useHeldKey } from "../kit/useHeldKey";
import { PlacedCrop } from "../viewer/placedCrop";
import { useDrag } from "../viewer/useDrag";
import { CropOverlays } from "./cropOverlays";
import { DifferenceView } from "./differenceView";
import { LaneChip, laneWords } from "./laneHeader";
import type { Latency } from "./latency";
import { PointerReadout, pointing, usePointing } from "./pointer";
import { LineOverlay, useLineDrawing } from "./profile";
import { SpotChoice } from "./spotChoice";
import type { Before, LaneView } from "./useLaneCrop";
import { useLaneCrop, useLaneView } from "./useLaneCrop";

const WAY_WORDS: Record<Look["way"], { label: string; help: string }> = {
  wipe: { label: "side by side at a line", help: "One lane left of a line that is dragged, the other right of it" },
  flip: { label: "in turn", help: "One lane, then the other: hold X, or by itself at a pace" },
  difference: { label: "as a difference", help: "The second lane less the first: grey where they are alike" },
};

/** Time for which each lane is seen while they change by themselves. */
const PACE_MS = 900;

interface Props {
  board: Board;
  stacks: StackRecord[];
  before: Before;
  latency: Latency;
}

/** Two lanes over each other at one spot, as large as there is room. */
export function PairView({ board, stacks, before, latency }: Props) {
  const pair = pairOf(board);
  const spot = spotOf(board);
  if (!pair || !spot)
    return <p className="p-3 text-quiet">Two lanes and a spot are needed to lay one over the other.</p>;
  return <Pair {...{ board, spot, before, latency }} first={stacks[0]} chosen={pair[0]} other={pair[1]} />;
}

interface PairProps {
  board: Board;
  first: StackRecord;
  chosen: Lane;
  other: Lane;
  spot: Spot;
  before: Before;
  latency: Latency;
}

function Pair({ board, first, chosen, other, spot, before, latency }: PairProps) {
  const session = useSession();
  const { look } = board;
  const setLook = (part: Partial<Look>) => session.board.amend((b) => ({ ...b, look: { ...b.look, ...part } }));
  const left = useLaneView(chosen, board, first);
  const right = useLaneView(other, board, first);
  const [isPaced, setPaced] = useState(false);
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line bg-panel px-2" data-testid="pair-bar">
        <LaneChip letter={chosen.letter} />
        <span className="max-w-40 truncate" title={laneWords(chosen)}>
          {laneWords(chosen)}
        </span>
        <span className="text-quiet">against</span>
        <Choice
          label="Lane that it is held against"
          help="The lane that the chosen one is held against"
          value={other.id}
          options={board.lanes
            .filter(({ id }) => id !== chosen.id)
            .map((lane) => ({ value: lane.id, label: `${lane.letter} ${laneWords(lane)}`.slice(0, 40) }))}
          onChange={(otherId) => setLook({ otherId })}
        />
        <span className="text-quiet">at</span>
        <SpotChoice spots={board.spots} shown={spot} />
        <Choice
          label="How they are compared"
          help="How the two lanes are shown at the same place"
          value={look.way}
          options={PAIR_WAYS.map((way) => ({ value: way, label: WAY_WORDS[way].label }))}
          onChange={(way) => setLook({ way })}
        />
        {look.way === "flip" ? (
          <label className="flex items-center gap-1 text-quiet" title="Changes from one lane to the other by itself">
            <input type="checkbox" checked={isPaced} onChange={(event) => setPaced(event.target.checked)} />
            by itself
          </label>
        ) : null}
        {look.way === "difference" ? (
          <span className="flex items-center gap-1 text-quiet">
            <NumberField
              label="Times the difference is enlarged"
              min={0.1}
              max={100}
              step={0.1}
              value={look.gain}
              onChange={(gain) => setLook({ gain })}
            />
            times
          </span>
        ) : null}
      </div>
      {left.view && right.view ? (
        <Over
          {...{ board, spot, before, latency, setLook }}
          project={first.facts}
          a={left.view}
          b={right.view}
          isPaced={isPaced}
        />
      ) : (
        <p role="alert" className="p-3 text-warn">
          {left.error ?? right.error}
        </p>
      )}
    </div>
  );
}

interface OverProps {
  board: Board;
  project: { width: number; height: number };
  a: LaneView;
  b: LaneView;
  spot: Spot;
  before: Before;
  isPaced: boolean;
  latency: Latency;
  setLook: (part: Partial<Look>) => void;
}

function Over({ board, project, a, b, spot, before, isPaced, latency, setLook }: OverProps) {
  const session = useSession();
  const { look, view } = board;
  // A difference is one of light, whatever is shown.
  const isNoise = look.shows.part === "noise" && look.way !== "difference";
  const { box, ...first } = useLaneCrop(a, spot, view, project, before, isNoise);
  const { box: secondBox, ...second } = useLaneCrop(b, spot, view, project, before, isNoise);
  const isHeld = useHeldKey("x");
  const isTurn = usePace(look.way === "flip" && isPaced);
  const isOther = look.way === "flip" && (isHeld || isTurn);
  const drag = useDrag(
    () => (view.zoom === "fit" ? null : view.zoom),
    (zoom, { dx, dy }) =>
      session.board.amend((board) => ({
        ...board,
        view: { ...board.view, panX: board.view.panX - dx / zoom, panY: board.view.panY - dy / zoom },
      })),
  );
  const point = usePointing(first.seen, a.toPicture);
  const line = useLineDrawing(first.seen, a.toPicture, spot.id);
  const wipe = useDrag(
    ({ currentTarget }) => {
      const bounds = currentTarget.parentElement?.getBoundingClientRect();
      return bounds ? { from: look.wipeAt, width: bounds.width } : null;
    },
    ({ from, width }, { fromX }) => setLook({ wipeAt: within01(from + fromX / width) }),
  );
  const isPending = first.treated.pending || second.treated.pending;
  const at = `${100 * look.wipeAt}%`;
  const crop = (which: typeof first, clip?: string) => (
    <div className="pointer-events-none absolute inset-0" style={clip ? { clipPath: clip } : undefined}>
      <PlacedCrop
        shown={which.shown}
        curves={which.curves}
        noiseSpan={which.noiseSpan}
        shows={look.shows}
        left={which.seen.left}
        top={which.seen.top}
        scale={which.seen.scale}
        pending={which.treated.pending}
        onDrawn={latency.drawn}
      />
    </div>
  );
  const shown = isOther ? second : first;
  const shownLane = isOther ? b : a;
  return (
    <div
      className="relative min-h-0 flex-1 overflow-hidden bg-page select-none"
      data-cell={`${a.lane.letter}|${b.lane.letter}:${spot.name}`}
      data-pending={isPending || a.treatment === null || b.treatment === null}
    >
      <div
        ref={box}
        role="img"
        aria-label={`Lanes ${a.lane.letter} and ${b.lane.letter} at ${spot.name}`}
        className="absolute inset-0 cursor-move touch-none"
        {...pointing(drag, point, line)}
      >
        <div ref={secondBox} className="pointer-events-none absolute inset-0" />
        {look.way === "difference" ? (
          <DifferenceView a={a} b={b} first={first} second={second} gain={look.gain} />
        ) : look.way === "flip" ? (
          crop(shown)
        ) : (
          <>
            {crop(second, `inset(0 0 0 ${at})`)}
            {crop(first, `inset(0 calc(100% - ${at}) 0 0)`)}
          </>
        )}
        {shown.ready && look.way !== "difference" ? (
          <CropOverlays {...{ board, spot, project }} view={shownLane} seen={shown.seen} />
        ) : null}
        {first.ready && second.ready
          ? [
              { view: a, of: first },
              { view: b, of: second },
            ].map(({ view: one, of }) => (
              <LineOverlay key={one.lane.id} view={one} spotId={spot.id} seen={of.seen} shown={of.shown} />
            ))
          : null}
        {shown.ready && look.way !== "difference" ? (
          <PointerReadout lane={shownLane} spot={spot} seen={shown.seen} shown={shown.shown} />
        ) : null}
      </div>
      {look.way === "wipe" ? (
        <>
          <div
            role="slider"
            tabIndex={0}
            aria-label="Line between the two lanes"
            aria-valuemin={0}
            aria-valuemax={100}
            aria-valuenow={Math.round(100 * look.wipeAt)}
            title="Drag, or arrow keys: the chosen lane is left of it, the other right"
            className="absolute inset-y-0 flex w-5 -translate-x-1/2 cursor-ew-resize touch-none justify-center outline-none focus-visible:[&>span:first-child]:w-0.5"
            style={{ left: at }}
            {...wipe}
            onKeyDown={(event) => {
              const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
              if (by === undefined) return;
              event.preventDefault();
              setLook({ wipeAt: within01(look.wipeAt + by) });
            }}
          >
            <span className="h-full w-px bg-accent" />
            {/* Says that the line can be taken hold of. */}
            <span className="absolute bottom-8 h-8 w-1 rounded-full bg-accent" />
          </div>
          <Corner lane={a.lane} side="left" />
          <Corner lane={b.lane} side="right" />
        </>
      ) : null}
      {look.way === "flip" ? <Corner lane={shownLane.lane} side="left" /> : null}
    </div>
  );
}

const within01 = (v: number): number => Math.min(1, Math.max(0, v));

/** True every other time. */
function usePace(isOn: boolean): boolean {
  const [turn, setTurn] = useState(false);
  useEffect(() => {
    if (!isOn) return;
    const timer = setInterval(() => setTurn((before) => !before), PACE_MS);
    return () => {
      clearInterval(timer);
      setTurn(false);
    };
  }, [isOn]);
  return turn;
}

function Corner({ lane, side }: { lane: Lane; side: "left" | "right" }) {
  return (
    <span
      className={`pointer-events-none absolute top-1.5 rounded bg-page/70 p-0.5 ${side === "left" ? "left-1.5" : "right-1.5"}`}
    >
      <LaneChip letter={lane.letter} />
    </span>
  );
}
