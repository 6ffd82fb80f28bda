export type { FitsFrame } from "./read";
export { openFits } from "./read";
export type { FitsLayout, FitsSample } from "./write";
export { fitsHeader, fitsPadding, fitsSamples, writeFits } from "./write";
export type { Card, CardValue, FitsHeader } from "./header";
export type { SubMetadata } from "./metadata";
export { metadataOf, pixelScaleOf, subMetadata } from "./metadata";
