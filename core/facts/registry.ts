import type { Fact } from "./fact";
import { stars } from "./stars";
import { detailBlur } from "./detailBlur";
import { noiseModel } from "./noiseModel";
import { haarMixture } from "./haarMixture";
import { levels } from "./levels";
import { mixture } from "./mixture";
import { noise } from "./noise";
import { psf } from "./psf";
import { psfShape } from "./psfShape";
import { psfStars } from "./psfStars";
import { sky } from "./sky";
import { skyPatches } from "./skyPatches";
import { surface } from "./surface";
import { wavelets } from "./wavelets";

/** Goes up when a fact is measured in another way: what was stored is measured anew then. */
export const FACTS_VERSION = 7;

/** Every fact, by its id. A new one is one line here. */
export const FACTS = {
  detailBlur,
  noiseModel,
  haarMixture,
  levels,
  mixture,
  noise,
  psf,
  psfShape,
  psfStars,
  sky,
  skyPatches,
  stars,
  surface,
  wavelets,
} as const;

export type FactId = keyof typeof FACTS;
export type FactValue<I extends FactId> = (typeof FACTS)[I] extends Fact<infer V> ? V : never;
/** The facts that an operation asked for. */
export type Facts<I extends FactId = FactId> = { [K in I]: FactValue<K> };

export const factOf = (id: FactId): Fact<unknown> => FACTS[id] as Fact<unknown>;
