import type { FrameSource, Region } from "../../raster";
import { growRegion, intersectRegions, wholeRegion } from "../../raster";

/** Surroundings of a place that the maps need, in px: four starlet scales (30) and the largest mean (13). */
const EVIDENCE_HALO = 48;

/** A place with the surroundings that its evidence is measured from. */
export const areaOf = (place: Region, picture: FrameSource): Region =>
  intersectRegions(growRegion(place, EVIDENCE_HALO), wholeRegion(picture));
