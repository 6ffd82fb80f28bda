import { smoothedReach } from "../../measure";
import { slider } from "../../parameters";
import { smoothstep } from "../../numeric/smoothstep";
import { maskKind } from "../kind";
import { heightAboveSky, luminanceSigma, overField, smoothedShare } from "../light";

/** Where there is signal: the local mean above the sky, over the noise of that mean where it stands, as the noise facts tell it. */
export const localSnr = maskKind({
  id: "snr",
  title: "Signal",
  summary: "Where the surroundings stand clear of the noise.",
  drawn: null,
  needs: ["sky", "noiseModel"],
  fields: {
    from: slider({
      label: "From",
      hint: "Where the local SNR is below this, nothing is in the mask",
      min: 0,
      max: 50,
      step: 0.5,
      default: 3,
    }),
    to: slider({
      label: "Fully at",
      hint: "Where the local SNR is above this, all is in the mask; between the two it rises smoothly",
      min: 0,
      max: 200,
      step: 0.5,
      default: 10,
    }),
    over: overField,
  },
  reach: ({ over }) => smoothedReach(over),
  values({ raster, facts, job }, { from, to, over }) {
    const share = smoothedShare(facts.noiseModel.covariance[0], over);
    return heightAboveSky(raster, facts, over, job.kernels).map((h) => {
      const sigma = luminanceSigma(facts, h) * share;
      return sigma > 0 ? smoothstep(h / sigma, from, to) : h > 0 ? 1 : 0;
    });
  },
});
