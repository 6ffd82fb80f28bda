export type { ByteSource } from "./bytes";
export { bytesOfArray, joinBytes } from "./bytes";
export type { FormatReason } from "./problem";
export { FormatError, valueOf } from "./problem";
export type { Card } from "./card";
export type { PictureFile, PictureFormat, Written, WrittenSample } from "./picture";
export type { FormatId } from "./registry";
export { FILE_ENDINGS, FORMAT_IDS, formatOf, FORMATS, openPicture } from "./registry";
export { asRead, unpackToFits } from "./unpack";
export type { CfaPattern, FrameType, ProductKind, SubMetadata, UnitName } from "./metadata";
export {
  CFA_PATTERNS,
  FRAME_TYPES,
  NO_METADATA,
  PRODUCT_WORDS,
  TYPED_FIELDS,
  UNIT_FIELDS,
  UNIT_NAMES,
  cfaPattern,
  frameType,
  metadataOfCards,
  numberOf,
  pixelScaleOf,
  shiftCfa,
  subMetadata,
  typingFault,
  unitName,
} from "./metadata";
export type { FitsCard, FitsFrame, FitsHeader, FitsLayout, FitsSample, KeptFrom, PixelMap } from "./fits";
export {
  binnedBy,
  cutFrom,
  fitsHeader,
  fitsPadding,
  fitsSamples,
  keptHeader,
  metadataCards,
  openFits,
  pixelMapOf,
  turnedOver,
  withoutWcs,
  writeFits,
} from "./fits";
export { writePng } from "./png/write";
export type { SerLayout } from "./ser/write";
export { serFrame, serHeader, serTrailer } from "./ser/write";
export type { DataRange, FrameUnit, UnitClaims } from "./unit";
export {
  UNIT_LABELS,
  aduPerSample,
  factorBetween,
  frameUnit,
  toSample,
  typeTellsUnit,
  unitCards,
  unitOf,
  unitOfSamples,
} from "./unit";
