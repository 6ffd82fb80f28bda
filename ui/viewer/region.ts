import type { Raster, Region } from "@/core/raster";

/** Pixels of a region as they are shown, reduced or not. */
export interface ShownRegion {
  raster: Raster;
  region: Region;
  reduce: number;
  /** Whether it is noise, about 0, and not light. */
  isNoise?: boolean;
}

export interface RegionState {
  shown: ShownRegion | null;
  pending: boolean;
  error: { message: string; advice: string } | null;
}
