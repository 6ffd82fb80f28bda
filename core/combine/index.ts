export type { CombinedTile, Layers, LayerScatter } from "./walk";
export { criticalValues } from "./esd";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export { combineTiles } from "./walk";
