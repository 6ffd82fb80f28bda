"use client";

import { createContext, useContext } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import type { Corner } from "@/core/mask";

/** What lies open over the crops: a mask, or a placed parameter; and what the pointer is at. Nothing of it is kept. */
export interface Desk {
  /** The mask that lies open, shown on all crops; null for none. */
  maskId: string | null;
  /** The part whose outline is being drawn; null for none. */
  drawing: number | null;
  /** Corners drawn so far, in the project's coordinates. */
  draft: Corner[];
  /** The parameter of a step that is placed on the picture and shown on the crops; null for none. */
  placed: { stepId: string; field: string } | null;
  /** The step that was touched last: what came before it can be seen. */
  stepId: string | null;
  /** What lies open above the crops. */
  bar: "equal" | "blind" | null;
  /** The place under the pointer, in the project's coordinates. */
  pointer: Corner | null;
  /** Where the loupe of whole pictures is held; null where it follows the pointer. */
  loupe: Corner | null;
  /** A line along which the light of all lanes is measured, at a spot; and what they have there, by lane. */
  line: { from: Corner; to: Corner; spotId: string } | null;
  profiles: Readonly<Record<string, { letter: string; values: number[]; length: number }>>;
  /** Share of samples, in %, that a lane's chain drove to black or white, by lane and spot, as its crops' figures tell it. */
  clipped: Readonly<Record<string, Readonly<Record<string, number>>>>;
  /** What of the evidence is drawn on the crops of the chosen lane. */
  evidence: { unsupported: boolean; lost: boolean; stars: boolean };
}

const CLEAR = { maskId: null, drawing: null, draft: [], placed: null };

export const createDesk = () =>
  createStore<Desk>(() => ({
    ...CLEAR,
    stepId: null,
    bar: null,
    pointer: null,
    loupe: null,
    line: null,
    profiles: {},
    clipped: {},
    evidence: { unsupported: true, lost: true, stars: true },
  }));

export const DeskContext = createContext<ReturnType<typeof createDesk>>(createDesk());

export const useDeskStore = () => useContext(DeskContext);

export function useDesk<T>(select: (desk: Desk) => T): T {
  return useStore(useDeskStore(), select);
}

/** Takes in what a lane's crop shows. */
export const noteClipped = (desk: ReturnType<typeof createDesk>, laneId: string, spotId: string, share: number): void =>
  desk.setState(({ clipped }) => ({ clipped: { ...clipped, [laneId]: { ...clipped[laneId], [spotId]: share } } }));

/** Opens a mask, or closes it. */
export const openMask = (desk: ReturnType<typeof createDesk>, maskId: string | null): void =>
  desk.setState({ ...CLEAR, maskId });

/** Shows a placed parameter of a step on the crops, or hides it. */
export const openPlaced = (desk: ReturnType<typeof createDesk>, placed: Desk["placed"]): void =>
  desk.setState({ ...CLEAR, placed });
