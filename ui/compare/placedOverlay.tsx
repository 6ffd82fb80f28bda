"use client";

import type { ComponentType } from "react";
import { useMemo } from "react";
import type { Corner } from "@/core/mask";
import { findOperation } from "@/core/operations";
import type { ChosenPatches, Field, Places } from "@/core/parameters";
import { MOST_DROPPED } from "@/core/parameters";
import type { Warp } from "@/core/register";
import { changeStep, stepOfBoard } from "@/state/board";
import type { Board, Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { PatchOverlay } from "../viewer/placed/patchOverlay";
import { PointsOverlay } from "../viewer/placed/pointsOverlay";
import { StarRings } from "../viewer/placed/starRings";
import { useDesk } from "./desk";
import type { CellView } from "./geometry";
import { cellPlaces } from "./geometry";
import { usePsfStars } from "./psfStars";
import { useSkyPatches } from "./useSkyPatches";

/** A parameter that is placed on the picture, and open. */
export interface OpenPlaced {
  lane: Lane;
  step: LaneStep;
  field: Field & { name: string };
}

/** The placed parameter that lies open over the crops; null for none. */
export function useOpenPlaced(board: Board): OpenPlaced | null {
  const placed = useDesk((desk) => desk.placed);
  return useMemo(() => {
    const found = placed && stepOfBoard(board, placed.stepId);
    const fields = found ? findOperation(found.step.operation)?.parameters.fields : undefined;
    const field = fields?.find(({ name }) => name === placed?.field);
    return found && field ? { ...found, field } : null;
  }, [board, placed]);
}

interface Shown {
  toPicture: Warp;
  /** Size of the stack that gave the project its coordinates. */
  project: { width: number; height: number };
  view: CellView;
}

/** What an editor of a kind gets: its value, in the project's coordinates, and how they lie on the screen. */
interface EditorProps extends OpenPlaced {
  value: unknown;
  toScreen: (place: Corner) => Corner;
  scale: number;
  size: { width: number; height: number };
  onChange: (value: unknown) => void;
}

/** How a kind of parameter is drawn on a crop and moved there. A new kind is a line here. */
const EDITORS: Partial<Record<Field["kind"], ComponentType<EditorProps>>> = {
  patches: PatchesEditor,
  stars: StarsEditor,
  points: PointsEditor,
};

/** A placed parameter of a step over a crop: what is moved there goes into the step. */
export function PlacedOverlay({ lane, step, field, toPicture, project, view }: OpenPlaced & Shown) {
  const session = useSession();
  const Editor = EDITORS[field.kind];
  if (!Editor) return null;
  const { toCell } = cellPlaces(view, toPicture);
  return (
    <Editor
      {...{ lane, step, field }}
      value={step.params[field.name]}
      toScreen={(place) => toCell(place) as Corner}
      scale={view.scale}
      size={project}
      onChange={(value) =>
        session.board.change((board) =>
          changeStep(board, lane.id, step.id, { params: { ...step.params, [field.name]: value } }),
        )
      }
    />
  );
}

/** Px of the screen from which on a patch has room for its name. */
const ROOMY = 30;

/** Patches of sky: those that are found, until one is moved; then the step's own. */
function PatchesEditor({ lane, step, value, toScreen, scale, size, onChange }: EditorProps) {
  const { patches } = useSkyPatches(lane, step);
  const forNoise = (value as ChosenPatches | null)?.forNoise ?? false;
  return (
    <PatchOverlay
      patches={patches}
      captions={patches.map(({ side }, k) => (side * scale > ROOMY ? `sky ${k + 1}` : ""))}
      toScreen={(x, y) => [...toScreen([x, y])]}
      scale={scale}
      size={size}
      onChange={(next) => onChange(next.length > 0 ? { patches: next, forNoise } : null)}
    />
  );
}

/** The stars that show the blur of a step. */
function StarsEditor({ lane, step, value, toScreen, scale, onChange }: EditorProps) {
  const known = usePsfStars(lane, step);
  return (
    <StarRings
      counted={known?.places ?? []}
      left={(value as Places | undefined) ?? []}
      toScreen={toScreen}
      scale={scale}
      onChange={(left) => onChange(left.slice(-MOST_DROPPED))}
    />
  );
}

function PointsEditor({ field, value, toScreen, scale, size, onChange }: EditorProps) {
  return (
    <PointsOverlay
      label={field.label}
      points={(value as Places | undefined) ?? []}
      toScreen={toScreen}
      scale={scale}
      size={size}
      onChange={onChange}
    />
  );
}
