export type { LayerScatter } from "./gradientScatter";
export type { CombinedTile, Layers } from "./walk";
export type { RejectedBlocks } from "./tally";
export { BLOCK_PX, emptyBlocks } from "./tally";
export { criticalValues } from "./esd";
export { gradientScatter } from "./gradientScatter";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export { combineTiles } from "./walk";
