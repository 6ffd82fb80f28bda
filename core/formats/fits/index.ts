export type { FitsFrame } from "./read";
export { openFits } from "./read";
export type { FitsCard, FitsLayout, FitsSample } from "./write";
export type { KeptFrom } from "./keep";
export { keptHeader, metadataCards } from "./keep";
export type { PixelMap } from "./wcs";
export { binnedBy, cutFrom, pixelMapOf, turnedOver, withoutWcs } from "./wcs";
export { fitsHeader, fitsPadding, fitsSamples, writeFits } from "./write";
export type { FitsHeader } from "./header";
