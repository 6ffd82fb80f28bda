import type { Facts } from "../../facts";
import type { MoffatShape } from "../../measure";
import { meanPsf } from "../../measure";
import { parameters, slider } from "../../parameters";
import { around } from "../around";
import type { Operation } from "../operation";
import type { AnewNeeds } from "./pointSourceReplacement";
import {
  aloneOf,
  anewFields,
  anewMigrations,
  pointSourceReplacement,
  starShapes,
  untold,
} from "./pointSourceReplacement";
import { ANEW_HALO } from "./starsFound";
import { targetFwhm } from "./lucy";
import { withSpatiallyVaryingPsf } from "./spatiallyVaryingPsf";

const starsParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "How much of the blur is taken back: stars become as narrow as the sampling carries at 1, and stay as they are at 0",
    min: 0,
    max: 1,
    step: 0.01,
    default: 1,
  }),
  ...anewFields,
});
type Params = typeof starsParameters.defaults;

/** How stars are in each channel; null where nothing is to be done. */
const shapesOf = (params: Params, facts: Facts<AnewNeeds>) => (params.strength > 0 ? starShapes(facts) : null);

/** How stars of a shape are to be. */
function targetOf({ fwhmMajor, fwhmMinor, beta }: MoffatShape, strength: number): MoffatShape {
  const fwhm = targetFwhm(Math.sqrt(fwhmMajor * fwhmMinor), strength);
  return { fwhmMajor: fwhm, fwhmMinor: fwhm, angle: 0, beta };
}

/** Stars and the rest (pointSourceReplacement.ts): stars drawn anew as narrow as the sampling carries, the rest deconvolved by itself. Version 1 took any two points that lay near each other for stars, and left all wide things alone; version 2 took plain steps for the rest. */
export const starBackgroundDeconvolution: Operation<Params, AnewNeeds> = {
  id: "deconvolve.stars-apart",
  version: 3,
  migrations: anewMigrations,
  words: {
    title: "Stars and the rest",
    short: "Stars apart",
    summary: "Draws stars anew as narrow points, and takes the blur back from the rest by itself.",
  },
  group: "deconvolve",
  madeFor: "linear",
  parameters: starsParameters,
  can: {
    disturbedWeight: 0.25,
    strength: { field: "strength" },
    restoration: {
      // Of PSFs that change over the picture none is given.
      blur(params, facts) {
        const shapes = shapesOf(params, facts);
        if (!shapes || shapes.some(({ field }) => field !== null)) return null;
        return { psf: meanPsf(shapes), target: meanPsf(shapes.map((shape) => targetOf(shape, params.strength))) };
      },
      aims: ({ strength }, fwhmPx) => targetFwhm(fwhmPx, strength),
      async untouchedShare(region, params, facts, job, kept) {
        const shapes = shapesOf(params, facts);
        return shapes
          ? aloneOf(region, kept, params, facts, shapes, job)
          : new Float32Array(region.width * region.height);
      },
    },
  },
  channels: ["together", "luminance"],
  cropBound: 1e-3,
  needs: () => ["noiseModel", "psfShape", "sky"],

  idle: (_params, facts) => untold(facts),

  source: around(() => ANEW_HALO),
  async run(region, { params, facts, job, place }) {
    const known = shapesOf(params, facts);
    if (known?.length !== region.channels) return region;
    return withSpatiallyVaryingPsf(region, place, known, ANEW_HALO, job, (part, kept, shapes, own) => {
      const targets = shapes.map((shape) => targetOf(shape, params.strength));
      return pointSourceReplacement(part, kept, params, facts, shapes, targets, own);
    });
  },
};
