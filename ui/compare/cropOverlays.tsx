"use client";

import type { Spot } from "@/core/compare";
import { laneOfRung } from "@/state/ladder";
import type { Board } from "@/storage";
import { useDesk } from "./desk";
import { EvidenceOverlay } from "./evidenceOverlay";
import type { CellView } from "./geometry";
import { MaskOverlay } from "./maskOverlay";
import { PlacedOverlay, useOpenPlaced } from "./placedOverlay";
import type { LaneView } from "./useLaneCrop";

/** What lies open over a crop: a mask, a placed parameter, or evidence. */
export function CropOverlays({
  board,
  view: { lane, stack, treatment, toPicture },
  spot,
  project,
  seen,
}: {
  board: Board;
  view: LaneView;
  spot: Spot;
  project: { width: number; height: number };
  seen: CellView;
}) {
  const maskId = useDesk((desk) => desk.maskId);
  const mask = board.masks.find(({ id }) => id === maskId);
  const placed = useOpenPlaced(board);
  const isEvidence = board.look.side === "evidence" && board.selectedLaneId === laneOfRung(lane.id);
  return (
    <>
      {mask ? <MaskOverlay {...{ mask, stack, toPicture }} view={seen} affinity={spot.id} /> : null}
      {placed ? <PlacedOverlay {...placed} {...{ toPicture, project }} view={seen} /> : null}
      {isEvidence && treatment ? (
        <EvidenceOverlay {...{ stack, treatment, spot, toPicture, seen }} view={board.view} />
      ) : null}
    </>
  );
}
