import type { FrameType, FrameUnit, SubMetadata } from "../formats";
import type { MasterKind, MatchedFrame, Mismatch, Tolerances } from "./match";
import { chooseMaster } from "./match";
import type { CalibrationSettings } from "./settings";

/** A frame as matching sees it. */
export function matchedFrame(
  id: string,
  name: string,
  type: FrameType,
  size: { width: number; height: number; channels: number },
  metadata: SubMetadata,
  unit: FrameUnit | null,
): MatchedFrame {
  const { width, height, channels } = size;
  const { binning, gain, offset, exposureS, temperatureC, filter, cfa, instrument } = metadata;
  return {
    id,
    name,
    type,
    width,
    height,
    channels,
    binning,
    gain,
    offset,
    exposureS,
    temperatureC,
    filter,
    cfa,
    instrument,
    unit,
  };
}

/** The masters for a light, with every mismatch in words. */
export interface MasterPlan {
  bias: string | null;
  dark: string | null;
  flat: string | null;
  darkScale: number;
  mismatches: Mismatch[];
}

export type UsedMasters = Record<"bias" | "dark" | "flat", boolean>;

/**
 * Chooses masters for a light. A bias is taken off only where there is no dark, or to scale one; what is switched off in `use`
 * is left out without a word.
 */
export function planMasters(
  light: MatchedFrame,
  masters: MatchedFrame[],
  settings: CalibrationSettings,
  tolerance: Tolerances,
  use: UsedMasters,
): MasterPlan {
  const choose = (kind: MasterKind) => chooseMaster(kind, masters, light, tolerance, settings.scaleDark);
  const none = { id: null, mismatches: [] as Mismatch[] };
  const dark = use.dark ? choose("dark") : none;
  const flat = use.flat ? choose("flat") : none;
  const wantsBias = use.bias && (dark.id === null || settings.scaleDark);
  const bias = wantsBias ? choose("bias") : none;
  const exposure = masters.find(({ id }) => id === dark.id)?.exposureS ?? null;
  return {
    bias: bias.id,
    dark: dark.id,
    flat: flat.id,
    darkScale: darkScaleOf(light.exposureS, exposure),
    mismatches: [...dark.mismatches, ...flat.mismatches, ...bias.mismatches],
  };
}

/** By how much a dark of another exposure is multiplied; 1 where either is not known. */
export const darkScaleOf = (light: number | null, dark: number | null | undefined): number =>
  dark && light ? light / dark : 1;
