"use client";

import { useMemo } from "react";
import type { Spot } from "@/core/compare";
import { stepOfBoard } from "@/state/board";
import type { Board } from "@/storage";
import { useDesk } from "./desk";
import { EvidenceOverlay } from "./evidenceOverlay";
import type { CellView } from "./geometry";
import { MaskOverlay } from "./maskOverlay";
import { PsfOverlay } from "./psfOverlay";
import { SkyOverlay } from "./skyOverlay";
import type { LaneView } from "./useLaneCrop";

/** What lies open over a crop: a mask, patches of sky, the stars that tell the blur, or evidence. */
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
  const skyOf = useDesk((desk) => desk.skyOf);
  const sky = useMemo(() => stepOfBoard(board, skyOf), [board, skyOf]);
  const psfOf = useDesk((desk) => desk.psfOf);
  const psf = useMemo(() => stepOfBoard(board, psfOf), [board, psfOf]);
  const isEvidence = board.look.side === "evidence" && board.selectedLaneId === lane.id;
  return (
    <>
      {mask ? <MaskOverlay {...{ mask, stack, toPicture }} view={seen} affinity={spot.id} /> : null}
      {sky ? <SkyOverlay {...sky} {...{ toPicture, project }} view={seen} /> : null}
      {psf ? <PsfOverlay {...psf} toPicture={toPicture} view={seen} /> : null}
      {isEvidence && treatment ? (
        <EvidenceOverlay {...{ stack, treatment, spot, toPicture, seen }} view={board.view} />
      ) : null}
    </>
  );
}
