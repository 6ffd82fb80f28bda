export { smoothed, smoothedReach } from "./smoothed";
export type { BackgroundMesh, PlaneFit } from "./background";
export { fitBackgroundPlane, measureBackground } from "./background";
export {
  autocovariance,
  bandCovariance,
  filterCovariance,
  filterVariance,
  gaussianCorrelation,
  meanCovariance,
  REACH,
  smoothingTaps,
} from "./covariance";
export type { NoiseModel } from "./noiseModel";
export { fitNoiseModel, noiseModelSchema, sigmaAt, stabiliser, strongerNoise, surroundings } from "./noiseModel";
export type { Peak, Point, PointFilter, PointShape } from "./matchedFilter";
export { drawPoints, findPoints, isHighest, matchedPeaks, PEAKS_HALO, pointFilter, POINTS_HALO } from "./matchedFilter";
export { drawDisc } from "./discs";
export { normalizedConvolution } from "./normalizedConvolution";
export { inverseFilters } from "./inverseFilters";
export { convolved } from "./convolved";
export { psfRatio, RATIO_RADIUS } from "./psfRatio";
export type { MaybeJudged } from "./deblendStars";
export { deblendStars } from "./deblendStars";
export type { StarFit } from "./fit";
export { fitMoffat } from "./fit";
export { whiteNoiseField } from "./mixedDifferences";
export { STARLET_NOISE, noiseCorrelation, pixelNoise, scaleNoise, whiteNoise } from "./noise";
export type { DoubleImage } from "./doubles";
export { findDoubleImage } from "./doubles";
export type { MoffatShape, Profile } from "./psf";
export { meanPsf, moffatAlpha, moffatFwhm, moffatProfile, moffatPsf, moffatRadius, moffatTable, roundPsf } from "./psf";
export type { PsfField } from "./psfField";
export { fitPsfField, shapeAt, shapeOfWidths, widthsOf } from "./psfField";
export { TELESCOPE_RADIUS, telescopeFwhm, telescopePsf } from "./telescopePsf";
export type { TelescopeBlur } from "./telescopePsf";
export type { Star, StarOptions } from "./stars";
export { findStars } from "./stars";
export type { ListedStar, SkyGradient, StarShape, SubMeasures, SubOptions } from "./subMeasures";
export { blurOfPower, powerOfCovariance, radialPower, SLOPES, windowedMean } from "./detailBlur";
export { overBands } from "./overBands";
export { filterOf, spectrumOf } from "./spectrum";
export {
  NO_MEASURES,
  areAlike,
  listedStar,
  measureSub,
  skyGradient,
  starShape,
  subMeasures,
  withoutGaps,
} from "./subMeasures";
export type { Trail } from "./trail";
export { farFrom, trailTest, trailsOf } from "./trail";
export { findTrails } from "./trails";
export type { SkyPatch } from "./patches";
export { skyPatch, patchDifference, patchLevels, patchRegion } from "./patches";
export { HAAR_BANDS, haarJoin, haarSplit, haarTaps } from "./haar";
export { findSkyPatches } from "./skyPatches";
export type { VideoMeasures } from "./videoMeasures";
export { measureVideoFrame, skyOfVideoFrame, videoMeasures } from "./videoMeasures";
export type { PictureMeasures } from "./pictureMeasures";
export { SNR_DEFINITION, measurePicture, pictureMeasures } from "./pictureMeasures";
export type { Saturation } from "./saturation";
export { dataRange, measureSaturation, pileUpLevel } from "./saturation";
