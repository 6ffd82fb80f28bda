export type { ByteSource } from "./bytes";
export { bytesOfArray } from "./bytes";
export type { FormatReason, Result } from "./problem";
export { FormatError, valueOf } from "./problem";
export type { FitsFrame, FitsHeader, FitsLayout, FitsSample, SubMetadata } from "./fits";
export {
  fitsHeader,
  fitsPadding,
  fitsSamples,
  metadataOf,
  openFits,
  pixelScaleOf,
  subMetadata,
  writeFits,
} from "./fits";
export { writePng } from "./png/write";
