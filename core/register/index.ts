export type { MatchOptions, PatternStar, Registration, RegistrationFailure, RegistrationResult } from "./match";
export { fitTransform, matchStars } from "./match";
export type { ResamplingKernel } from "./resample";
export { RESAMPLING_REACH, resample, resamplingNoiseGain, sourceRegion } from "./resample";
export type { Transform } from "./transform";
export {
  IDENTITY,
  applyTransform,
  composeTransforms,
  describeTransform,
  invertTransform,
  rotationAbout,
  transformSchema,
} from "./transform";
