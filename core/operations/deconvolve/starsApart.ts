import type { MoffatShape } from "../../measure";
import { parameters, slider } from "../../parameters";
import type { Operation } from "../operation";
import { ANEW_HALO, anewFields, drawnAnew } from "./drawnAnew";
import { targetFwhm } from "./lucy";

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

/** Stars and the rest (drawnAnew.ts): stars drawn anew as narrow as the sampling carries, the rest deconvolved by itself. */
export const starsApart: Operation<Params, "grain" | "psfShape" | "sky"> = {
  id: "deconvolve.stars-apart",
  version: 1,
  title: "Stars and the rest",
  short: "Stars apart",
  summary: "Draws stars anew as narrow points, and takes the blur back from the rest by itself.",
  group: "deconvolve",
  domainIn: "linear",
  domainOut: "either",
  parameters: starsParameters,
  strength: "strength",
  channels: ["together", "luminance"],
  cropBound: 1e-3,
  needs: ["grain", "psfShape", "sky"],
  halo: () => ANEW_HALO,
  async run(region, params, facts, job) {
    const shapes = facts.psfShape.channels.filter((shape) => shape !== null);
    const isKnown = shapes.length === region.channels && facts.grain.models.every(({ a }) => a > 0);
    if (!isKnown || params.strength === 0) return region;
    const targets = shapes.map(({ fwhmMajor, fwhmMinor, beta }): MoffatShape => {
      const fwhm = targetFwhm(Math.sqrt(fwhmMajor * fwhmMinor), params.strength);
      return { fwhmMajor: fwhm, fwhmMinor: fwhm, angle: 0, beta };
    });
    return drawnAnew(region, params, facts, shapes, targets, job);
  },
};
