export type { AnyOperation, ChannelMode, Operation, OperationGroup, ParameterField, PictureSampler } from "./operation";
export { CHANNEL_MODES, defaultParams } from "./operation";
export { OPERATIONS, findOperation } from "./registry";
export type { StretchContext, StretchCurve, StretchParams } from "./stretch/arcsinhStretch";
export { stretchContext, stretchContextOf, stretchCurves, stretchParams, stretched } from "./stretch/arcsinhStretch";
