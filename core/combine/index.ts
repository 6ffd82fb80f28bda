export type { LayerScatter } from "./flanks";
export type { CombinedTile, Layers } from "./walk";
export type { RejectedBlocks } from "./tally";
export { BLOCK_PX, emptyBlocks } from "./tally";
export { criticalValues } from "./esd";
export { flanksOf } from "./flanks";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export { combineTiles } from "./walk";
