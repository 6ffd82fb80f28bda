"use client";

import { createContext, useContext } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import type { Corner } from "@/core/mask";

/** What lies open over the crops: a mask, patches of sky, or the stars that tell the blur. Nothing of it is kept. */
export interface MaskDesk {
  /** The mask that lies open, shown on all crops; null for none. */
  maskId: string | null;
  /** The part whose outline is being drawn; null for none. */
  drawing: number | null;
  /** Corners drawn so far, in the project's coordinates. */
  draft: Corner[];
  /** The step whose patches of sky are shown; null for none. */
  skyOf: string | null;
  /** The step whose stars that tell the blur are shown; null for none. */
  psfOf: string | null;
}

const CLEAR: MaskDesk = { maskId: null, drawing: null, draft: [], skyOf: null, psfOf: null };

export const createMaskDesk = () => createStore<MaskDesk>(() => CLEAR);

export const MaskDeskContext = createContext<ReturnType<typeof createMaskDesk>>(createMaskDesk());

export const useMaskDesk = () => useContext(MaskDeskContext);

export function useDesk<T>(select: (desk: MaskDesk) => T): T {
  return useStore(useMaskDesk(), select);
}

/** Opens a mask, or closes it. */
export const openMask = (desk: ReturnType<typeof createMaskDesk>, maskId: string | null): void =>
  desk.setState({ ...CLEAR, maskId });

/** Shows the patches of a step, or hides them. */
export const openSky = (desk: ReturnType<typeof createMaskDesk>, skyOf: string | null): void =>
  desk.setState({ ...CLEAR, skyOf });

/** Shows the stars that tell the blur of a step, or hides them. */
export const openPsf = (desk: ReturnType<typeof createMaskDesk>, psfOf: string | null): void =>
  desk.setState({ ...CLEAR, psfOf });
