import type { Region } from "../raster";
import { growRegion } from "../raster";

/** `source` of a step on the same grid: a region of its result needs that region and so many pixels around it. */
export const around =
  <P, F>(reach: (params: P, facts: F) => number) =>
  (region: Region, params: P, facts: F): Region =>
    growRegion(region, reach(params, facts));
