export type { CombinedTile } from "./walk";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export type { Layers } from "./walk";
export { combineTiles } from "./walk";
