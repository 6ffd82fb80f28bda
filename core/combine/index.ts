export type { CombineOutput } from "./combine";
export { combineInto } from "./combine";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export type { Kept, Limits, Rejector } from "./rejector";
export type { Layers } from "./walk";
export { walkTiles } from "./walk";
