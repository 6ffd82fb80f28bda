export type { ByteSource } from "./bytes";
export { bytesOfArray, joinBytes } from "./bytes";
export type { FormatReason, Result } from "./problem";
export { FormatError, valueOf } from "./problem";
export type { Card } from "./card";
export type { FormatId, PictureFile } from "./picture";
export { FILE_ENDINGS, FORMATS, openPicture } from "./registry";
export { unpackToFits } from "./unpack";
export type { CfaPattern, FrameType, SubMetadata } from "./metadata";
export {
  CFA_PATTERNS,
  FRAME_TYPES,
  NO_METADATA,
  TYPED_FIELDS,
  cfaPattern,
  frameType,
  metadataOfCards,
  pixelScaleOf,
  shiftCfa,
  subMetadata,
} from "./metadata";
export type { FitsFrame, FitsHeader, FitsLayout, FitsSample } from "./fits";
export { fitsHeader, fitsPadding, fitsSamples, openFits, writeFits } from "./fits";
export { writePng } from "./png/write";
export type { SerLayout } from "./ser/write";
export { serFrame, serHeader, serTrailer } from "./ser/write";
export type { TiffSample } from "./tiff/write";
export { writeTiff } from "./tiff/write";
