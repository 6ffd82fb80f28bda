import type { JobHandle } from "../job";
import type { Region } from "../raster";

/**
 * A way to make one picture of many layers, tile by tile. A cube holds all samples of a tile, so that outliers can be
 * rejected over them (walk.ts); a streaming one takes layer after layer into running sums, within memory that does not
 * grow with their number (streaming.ts).
 */
export interface Combiner<Layers, Made> {
  /** Gives what came of each tile to `visit`; returns the most bytes held at once for samples and sums. */
  run(layers: Layers, tiles: readonly Region[], job: JobHandle, visit: (made: Made) => void): Promise<number>;
}
