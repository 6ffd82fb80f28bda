export type { Region } from "./region";
export { checkInside, growRegion, intersectRegions, isEmptyRegion, relativeTo, tilesOf, wholeRegion } from "./region";
export type { CreateRaster, Raster } from "./raster";
export {
  cloneRaster,
  createRaster,
  cropPlane,
  cropRaster,
  meanPlane,
  mirrorIndex,
  pasteInto,
  pastePlane,
  rasterBytes,
  rasterOf,
  reusedRasters,
} from "./raster";
export { blankValue, frameWithoutBlank, withoutBlank } from "./blank";
export { fillGaps, withGapsOf } from "./gaps";
export { halfDifference, reduceInto } from "./reduce";
export type { FrameSource } from "./frameSource";
export { frameOfRaster, scaledFrame } from "./frameSource";
export {
  LargestValues,
  CHUNK,
  nextAtLeast,
  SIGMA_PER_MAD,
  clippedMean,
  finiteSample,
  meanAndDeviation,
  median,
  medianInPlace,
  quantile,
  robustSpread,
  selectInPlace,
} from "./statistics";
export type { RobustSpread } from "./statistics";
export { difference } from "./planes";
export { marginFor, mirrored } from "./mirrored";
