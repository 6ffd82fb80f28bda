import { difference } from "../../raster";
import { keptPixels } from "../varianceStabilised";
import { bandCovariance } from "../../measure";
import { choice, slider } from "../../parameters";
import { detailReach, powerOf, powerReach, raisingOfDetail } from "./raising";

/** Sizes of detail in px that have a gain: starlet scales 0 … 5. */
const SIZES = [1, 2, 4, 8, 16, 32];

const gainOf = (px: number, by: number) => ({
  ...slider({
    label: `Gain at ${px} px`,
    hint: `What detail of about ${px} px is multiplied by; 1 leaves it, less than 1 softens it`,
    min: 0,
    max: 5,
    step: 0.05,
    default: by,
  }),
  when: { name: "levers", is: "each" },
});

/** A gain for detail of each size: starlet coefficients × (1 + (gain − 1) · share), softened ones without a gate. Sources: Starck, Murtagh & Bijaoui 1998, Image Processing and Data Analysis, 2.5 (starlet); gains common practice; gate own. */
export const multiscaleGain = raisingOfDetail({
  id: "detail.by-size",
  version: 1,
  words: {
    title: "Detail by size",
    short: "By size",
    summary: "Raises or softens detail by its size, what is noise left as it is.",
  },
  disturbedWeight: 0.3,
  fields: {
    levers: choice({
      label: "Gain for",
      hint: "One gain for detail from 1 to 32 px, or one for each size",
      options: [
        { value: "all", label: "all sizes" },
        { value: "each", label: "each size" },
      ],
      default: "all",
    }),
    gain: {
      ...slider({
        label: "Gain",
        hint: "What detail of 1 to 32 px is multiplied by; 1 leaves it, less than 1 softens it",
        min: 0,
        max: 5,
        step: 0.05,
        default: 1.6,
      }),
      when: { name: "levers", is: "all" },
    },
    gain1: gainOf(1, 1),
    gain2: gainOf(2, 1.6),
    gain4: gainOf(4, 1.6),
    gain8: gainOf(8, 1.4),
    gain16: gainOf(16, 1.2),
    gain32: gainOf(32, 1),
  },
  reach: () => detailReach(SIZES.length - 1) + powerReach(SIZES.length - 1),
  raise(even, params, share, job) {
    const { plane, width, height, covariance } = even;
    const kept = keptPixels(even);
    const noise = Float64Array.from(covariance);
    const gains = SIZES.map((px) => (params.levers === "all" ? params.gain : params[`gain${px}` as "gain1"]));
    const out = plane.slice();
    let current = plane;
    for (const [scale, gain] of gains.entries()) {
      const smooth = job.kernels.starletSmooth(current, width, height, scale);
      if (gain !== 1) {
        const detail = difference(current, smooth);
        const variance = bandCovariance(noise, scale, 0)[0];
        const power = gain > 1 ? powerOf(detail, width, height, variance, scale, job) : null;
        for (const i of kept) out[i] += (gain - 1) * (power ? share(power[i], variance) : 1) * detail[i];
      }
      current = smooth;
    }
    return out;
  },
});
