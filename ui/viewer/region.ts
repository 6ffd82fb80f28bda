import type { Raster, Region } from "@/core/raster";

/** Pixels of a region as they are shown, reduced or not. */
export interface ShownRegion {
  raster: Raster;
  region: Region;
  reduce: number;
}

export interface RegionState {
  shown: ShownRegion | null;
  pending: boolean;
  error: { message: string; advice: string } | null;
}
