export type { AnyMaskKind, Corner } from "./kind";
export { factsOfMask, maskKey, maskReach, maskValues, placedMask } from "./mask";
export { ellipseCorners } from "./outline";
export { findMaskKind, MASK_KINDS } from "./registry";
export type { Mask, MaskPart } from "./schema";
export { COMBINATIONS, mask, maskPart, MOST_CORNERS, MOST_PARTS } from "./schema";
