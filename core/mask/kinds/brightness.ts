import { smoothedReach } from "../../measure";
import { slider } from "../../parameters";
import { smoothstep } from "../../numeric/smoothstep";
import { maskKind } from "../kind";
import { heightAboveSky, luminanceSigma, overField } from "../light";

/** What is bright: height of the mean of the channels above the sky, in dB over the noise of the sky (20 log₁₀ of their ratio), between two levels. */
export const brightness = maskKind({
  id: "brightness",
  title: "Bright",
  summary: "What stands above the sky by so much.",
  drawn: null,
  needs: ["sky", "noiseModel"],
  fields: {
    from: slider({
      label: "From",
      hint: "What stands less above the sky than this is not in the mask; 0 dB is the noise of the sky, each 20 dB ten times as much",
      unit: "dB",
      min: -20,
      max: 100,
      step: 1,
      default: 6,
    }),
    to: slider({
      label: "Fully at",
      hint: "What stands above the sky by this is wholly in the mask; between the two it rises smoothly",
      unit: "dB",
      min: -20,
      max: 100,
      step: 1,
      default: 20,
    }),
    over: { ...overField, default: 1 },
  },
  reach: ({ over }) => smoothedReach(over),
  values({ raster, facts, job }, { from, to, over }) {
    const sigma = luminanceSigma(facts, 0) || Number.MIN_VALUE;
    return heightAboveSky(raster, facts, over, job.kernels).map((h) =>
      h > 0 ? smoothstep(20 * Math.log10(h / sigma), from, to) : 0,
    );
  },
});
