"use client";

import type { Corner } from "@/core/mask";
import { MOST_DROPPED } from "@/core/chain";
import type { Warp } from "@/core/register";
import { changeStep } from "@/state/board";
import type { Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import { usePsfStars } from "./psfStars";

interface Props {
  lane: Lane;
  step: LaneStep;
  toPicture: Warp;
  view: CellView;
}

/** Radius of a ring, in px of the picture, and at least in px of the screen. */
const [RING_PX, LEAST_PX] = [6, 3];

/** The stars that tell the blur of a step, ringed; a click leaves one out, another takes it back. */
export function PsfOverlay({ lane, step, toPicture, view }: Props) {
  const session = useSession();
  const known = usePsfStars(lane, step);
  const { toCell } = cellPlaces(view, toPicture);
  const radius = Math.max(LEAST_PX, RING_PX * view.scale);
  const change = (dropped: LaneStep["dropped"]) =>
    session.board.change((board) => changeStep(board, lane.id, step.id, { dropped }));
  const ring = ([x, y]: Corner, isOut: boolean, onClick: () => void) => {
    const [u, v] = toCell([x, y]);
    return (
      <circle
        key={`${x} ${y} ${isOut}`}
        cx={u}
        cy={v}
        r={radius}
        data-psf-star={isOut ? "out" : "in"}
        className="pointer-events-auto cursor-pointer"
        fill="transparent"
        stroke={isOut ? "#a3a3a3" : "#e0a44a"}
        strokeDasharray={isOut ? "2 3" : undefined}
        onPointerDown={(event) => event.stopPropagation()}
        onClick={(event) => {
          event.stopPropagation();
          onClick();
        }}
      >
        <title>{isOut ? "Left out; click to take it back" : "Tells the blur; click to leave it out"}</title>
      </circle>
    );
  };
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full">
      {known?.places.map((place) =>
        ring(place, false, () =>
          change([...step.dropped, [place[0], place[1]] as [number, number]].slice(-MOST_DROPPED)),
        ),
      )}
      {step.dropped.map((place) => ring(place, true, () => change(step.dropped.filter((one) => one !== place))))}
    </svg>
  );
}
