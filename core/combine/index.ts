export type { LayerScatter } from "./flanks";
export type { CombinedTile, Layers } from "./walk";
export { criticalValues } from "./esd";
export { flanksOf } from "./flanks";
export { clipSorted } from "./kappaSigma";
export { REJECTORS, rejectorOf } from "./registry";
export { combineTiles } from "./walk";
