export type { AnyOperation, ChannelMode, Domain, Operation, OperationGroup, Shares } from "./operation";
export { CHANNEL_MODES } from "./operation";
export type { BlurParams } from "./deconvolve/blur";
export { typedBlur, typedFwhm } from "./deconvolve/blur";
export { gaussianPsf } from "./gaussianPsf";
export { level } from "./level";
export { OPERATIONS, findOperation } from "./registry";
export type { StretchCurve, StretchParams } from "./stretch/arcsinhStretch";
export { stretchCurves, stretchParameters, stretched } from "./stretch/arcsinhStretch";
