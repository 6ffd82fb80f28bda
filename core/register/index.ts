export type { PointPairs, WarpModel } from "./fit";
export { WARP_MODELS, fitWarp } from "./fit";
export type {
  AskedModel,
  MatchOptions,
  PatternStar,
  Registration,
  RegistrationFailure,
  RegistrationResult,
} from "./match";
export { matchStars } from "./match";
export type { ResamplingCost } from "./cost";
export { resamplingCost } from "./cost";
export type { ResamplingKernel } from "./resample";
export type { Mesh } from "./mesh";
export { meshOver, meshPoint } from "./mesh";
export { RESAMPLING_REACH } from "./reach";
export type { Placement } from "./resample";
export { placesOf, resample, resamplingNoiseGain, sourceRegion } from "./resample";
export type { LinearWarp, Matrix, Warp } from "./warp";
export {
  IDENTITY,
  compose,
  describeWarp,
  enlargedBy,
  inverse,
  isLinear,
  linear,
  mapPoint,
  mapRow,
  matrixAt,
  rotationAbout,
  shiftBy,
  warpSchema,
  warpWords,
} from "./warp";
