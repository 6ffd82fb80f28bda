import { smoothed, smoothedReach } from "../../measure";
import { slider } from "../../parameters";
import { smoothstep } from "../../numeric/smoothstep";
import { maskKind } from "../kind";
import { luminanceSigma, overField, smoothedShare } from "../light";

/** Colour that stands less than the first above its noise is none, by the second it is one. */
const [DOUBTFUL, CLEAR] = [2, 5];
/** The hue's ends are as wide as this share of its width. */
const SOFT = 0.3;

/**
 * What is of a colour: hue and saturation of the channels above the sky, as chroma (α, β) = (R − (G + B)/2, √3/2 (G − B)); saturation is its length over the strongest channel. Only where the colour stands clear of its noise.
 * Nothing in a picture that has no colours. Source: Hanbury 2008, Pattern Recognition Letters 29, 494 (chroma and hue).
 */
export const colour = maskKind({
  id: "colour",
  title: "Colour",
  summary: "What is of one hue.",
  drawn: null,
  needs: ["sky", "noiseModel"],
  fields: {
    hue: slider({
      label: "Hue",
      hint: "0° is red, 60° yellow, 120° green, 180° cyan, 240° blue, 300° magenta",
      unit: "°",
      min: 0,
      max: 360,
      step: 1,
      default: 0,
    }),
    width: slider({
      label: "Width",
      hint: "How far to each side of the hue is in the mask",
      unit: "°",
      min: 5,
      max: 180,
      step: 1,
      default: 40,
    }),
    saturation: slider({
      label: "Saturation from",
      hint: "How strong the colour must be; 0 takes in what is almost grey",
      min: 0,
      max: 1,
      step: 0.01,
      default: 0.2,
    }),
    over: overField,
  },
  reach: ({ over }) => smoothedReach(over),
  values({ raster, facts, job }, { hue, width, saturation, over }) {
    const out = new Float32Array(raster.width * raster.height);
    if (raster.channels !== 3) return out;
    const [r, g, b] = raster.planes.map((plane, c) =>
      smoothed(plane, raster.width, raster.height, over, job.kernels).map((v) => v - facts.sky.level[c]),
    );
    const share = smoothedShare(facts.noiseModel.covariance[1], over);
    for (let i = 0; i < out.length; i++) {
      const alpha = r[i] - (g[i] + b[i]) / 2;
      const beta = (Math.sqrt(3) / 2) * (g[i] - b[i]);
      const chroma = Math.hypot(alpha, beta);
      const strongest = Math.max(r[i], g[i], b[i]);
      if (!(strongest > 0)) continue;
      // Channels of like noise σ have a chroma of σ √1.5 along each axis; the mean of three has σ/√3.
      const noise = share * luminanceSigma(facts, Math.max(0, (r[i] + g[i] + b[i]) / 3)) * Math.sqrt(4.5);
      const away = Math.abs((((Math.atan2(beta, alpha) * 180) / Math.PI - hue + 540) % 360) - 180);
      out[i] =
        smoothstep(noise > 0 ? chroma / noise : CLEAR, DOUBTFUL, CLEAR) *
        (1 - smoothstep(away, width * (1 - SOFT), width * (1 + SOFT))) *
        (saturation === 0 ? 1 : smoothstep(chroma / strongest, 0.7 * saturation, saturation));
    }
    return out;
  },
});
