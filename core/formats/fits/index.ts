export type { FitsFrame } from "./read";
export { FITS, openFits } from "./read";
export type { FitsLayout, FitsSample } from "./write";
export { fitsHeader, fitsPadding, fitsSamples, writeFits } from "./write";
export type { FitsHeader } from "./header";
