"use client";

import type { SkyPatch } from "@/core/measure";
import type { Warp } from "@/core/register";
import { changeStep } from "@/state/board";
import type { Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { PatchOverlay } from "../viewer/patchOverlay";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import { useSkyPatches } from "./skyPanel";

/** Px of the screen from which on a patch has room for its name. */
const ROOMY = 30;

interface Props {
  lane: Lane;
  step: LaneStep;
  toPicture: Warp;
  /** Size of the stack that gave the project its coordinates. */
  project: { width: number; height: number };
  view: CellView;
}

/** The patches of sky of a step over a crop: dragged, they become the step's own. */
export function SkyOverlay({ lane, step, toPicture, project, view }: Props) {
  const session = useSession();
  const { patches } = useSkyPatches(lane, step);
  const { toCell } = cellPlaces(view, toPicture);
  const change = (next: SkyPatch[]) =>
    session.board.change((board) =>
      changeStep(board, lane.id, step.id, {
        sky: next.length > 0 ? { patches: next, tellNoise: step.sky?.tellNoise ?? false } : null,
      }),
    );
  return (
    <PatchOverlay
      patches={patches}
      captions={patches.map(({ side }, k) => (side * view.scale > ROOMY ? `sky ${k + 1}` : ""))}
      toScreen={(x, y) => toCell([x, y]) as [number, number]}
      scale={view.scale}
      size={project}
      onChange={change}
    />
  );
}
