import type { Facts } from "../../facts";
import type { MoffatShape } from "../../measure";
import { parameters, slider } from "../../parameters";
import { around } from "../around";
import type { Operation } from "../operation";
import type { AnewNeeds } from "./pointSourceReplacement";
import { anewFields, anewMigrations, pointSourceReplacement, starShapes, untold } from "./pointSourceReplacement";
import { ANEW_HALO } from "./starsFound";
import { withSpatiallyVaryingPsf } from "./spatiallyVaryingPsf";

const roundParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "How round stars become: as they are at 0, round and as wide as before at 1",
    min: 0,
    max: 1,
    step: 0.01,
    default: 1,
  }),
  ...anewFields,
});
type Params = typeof roundParameters.defaults;

/** Stars rounder than this (short over long axis) are left as they are. */
const ROUND = 0.97;

/** Why nothing is to be made round; null where stars are drawn out, or how they are changes over the picture. */
function allRound(facts: Facts<AnewNeeds>): string | null {
  const known = starShapes(facts) ?? [];
  if (known.some(({ field, ...shape }) => field !== null || !isRound(shape))) return null;
  const least = Math.min(...known.map(({ fwhmMajor, fwhmMinor }) => fwhmMinor / fwhmMajor));
  return `Stars are round here already (short over long axis ${least.toFixed(2)}), so the picture stays as it is.`;
}

const isRound = ({ fwhmMajor, fwhmMinor }: MoffatShape): boolean => fwhmMinor / fwhmMajor > ROUND;

/** A shape whose squared widths are mixed with those of the round one of the same area. */
function rounder({ fwhmMajor, fwhmMinor, angle, beta }: MoffatShape, strength: number): MoffatShape {
  const round = fwhmMajor * fwhmMinor;
  const [major, minor] = [fwhmMajor ** 2, fwhmMinor ** 2].map((square) =>
    Math.sqrt(square + strength * (round - square)),
  );
  return { fwhmMajor: major, fwhmMinor: minor, angle, beta };
}

/** Round stars: those that tracking, tilt or coma drew out are drawn anew (pointSourceReplacement.ts) round, of the same area, and what is no star is deconvolved to the same shape. Where the shape changes over the picture, each place by its own (overField.ts). Version 1 took any two points that lay near each other for stars, and left all wide things alone; version 2 took plain steps for the rest. */
export const roundStars: Operation<Params, AnewNeeds> = {
  id: "deconvolve.round-stars",
  version: 3,
  migrations: anewMigrations,
  words: {
    title: "Round stars",
    short: "Round",
    summary: "Makes stars round that were drawn out, as wide as they were.",
  },
  group: "deconvolve",
  madeFor: "linear",
  parameters: roundParameters,
  can: {
    strength: { field: "strength" },
    restoration: { aims: (_params, fwhmPx) => fwhmPx },
  },
  channels: ["together", "luminance"],
  cropBound: 1e-3,
  needs: () => ["noiseModel", "psfShape", "sky"],

  source: around(() => ANEW_HALO),
  idle: (_params, facts) => untold(facts) ?? allRound(facts),
  async run(region, { params, facts, job, place }) {
    const known = starShapes(facts);
    if (!known || params.strength === 0) return region;
    return withSpatiallyVaryingPsf(region, place, known, ANEW_HALO, job, (part, kept, shapes, own) => {
      if (shapes.every(isRound)) return part;
      const targets = shapes.map((shape) => rounder(shape, params.strength));
      return pointSourceReplacement(part, kept, params, facts, shapes, targets, own);
    });
  },
};
