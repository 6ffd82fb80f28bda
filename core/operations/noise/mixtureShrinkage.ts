import type { HaarMixtureFact, MixtureFact } from "../../facts";
import { MIXTURE_SCALES } from "../../facts";
import type { JobHandle } from "../../job";
import type { MixtureBand } from "../../kernels";
import { haarJoin, haarSplit } from "../../measure";
import { choice, slider } from "../../parameters";
import { cropRaster, marginFor, mirrored, rasterOf } from "../../raster";
import type { StabilisedPlane } from "../varianceStabilised";
import { noiseApproach } from "./approach";

/** Logarithms of the strengths that the signal may have at a place, evenly; as many as tell it to 0.05 dB. */
const LEVELS = 10;
const [FROM, TO] = [-12, 5];
/** Between none and full "keep detail" the strongest signal becomes e^this times as likely beside none. */
const TRUST = 6;

/** The kernel's tables for a band. */
function tablesOf({ project, back, lambda }: MixtureFact["components"][number][number], detail: number): MixtureBand {
  const shares = Array.from({ length: LEVELS }, (_, k) => k / (LEVELS - 1));
  const strengths = shares.map((share) => Math.exp(FROM + (TO - FROM) * share));
  const offsets = strengths.map(
    (z, k) => TRUST * (detail - 0.5) * shares[k] - 0.5 * lambda.reduce((sum, l) => sum + Math.log(z * l + 1), 0),
  );
  return {
    project: Float32Array.from(project),
    back: Float32Array.from(back),
    axes: back.length,
    gains: Float32Array.from(strengths.flatMap((z) => lambda.map((l) => (z * l) / (z * l + 1)))),
    offsets: Float32Array.from(offsets),
    levels: LEVELS,
  };
}

/** What becomes of what may be signal or noise. */
export const keepDetail = slider({
  label: "Keep detail",
  hint: "Higher keeps what may be signal or noise, lower lets it go",
  min: 0,
  max: 1,
  step: 0.01,
  default: 0.25,
});

/** Pixels of surroundings that mixtureOf looks at. */
export const MIXTURE_REACH = 2 * (2 ** MIXTURE_SCALES - 1) + 2 * 2 ** (MIXTURE_SCALES - 1);

/** The plane as the mixture takes it to be without noise, where it is kept; itself where nothing is known of signal and noise. */
export function mixtureOf(
  { plane, width, height, index, kept }: StabilisedPlane,
  detail: number,
  mixture: MixtureFact,
  job: JobHandle,
): Float32Array {
  const bands = mixture.components[index];
  if (bands.some(({ back }) => back.length === 0)) return plane;
  return job.kernels.mixtureShrink(
    plane,
    width,
    height,
    bands.map((band) => tablesOf(band, detail)),
    kept,
  );
}

/** The same in undecimated Haar wavelets; its reach is no larger. */
function haarMixtureOf(
  { plane, width, height, index, kept }: StabilisedPlane,
  detail: number,
  { components }: HaarMixtureFact,
  job: JobHandle,
): Float32Array {
  const scales = components[index];
  if (scales.some((bands) => bands.some(({ back }) => back.length === 0))) return plane;
  // Mirrored so far that the border of what is looked at is not seen within the plane.
  const margin = marginFor(kept, { width, height }, MIXTURE_REACH);
  const { grown, pitch, rows } = mirrored(plane, width, height, margin);
  const estimate = (of: Float32Array, scale: number): Float32Array => {
    if (scale === scales.length) return of;
    const { bands, mean } = haarSplit(of, pitch, scale);
    const shrunk = bands.map((band, b) =>
      job.kernels.mixtureOfBand(band, pitch, rows, 1 << scale, tablesOf(scales[scale][b], detail)),
    );
    return haarJoin(shrunk, estimate(mean, scale + 1), pitch, scale);
  };
  const out = rasterOf(pitch, rows, [estimate(grown, 0)]);
  return cropRaster(out, { x: margin, y: margin, width, height }).planes[0];
}

/**
 * Shrinkage by a Gaussian scale mixture: the picture is taken apart into starlet scales; each coefficient, seen with its 24 neighbours, becomes what it most likely is, given how
 * noise and signal of that scale vary together (facts/mixture.ts). What is coarser than the scales stays. On demand the mean with the same in undecimated Haar wavelets.
 * Source: Portilla, Strela, Wainwright & Simoncelli 2003, IEEE TIP 12, 1338.
 */
export const mixtureShrinkage = noiseApproach({
  id: "noise.mixture",
  version: 1,
  words: {
    title: "Mixture noise reduction",
    short: "Mixture",
    summary: "Tells noise from detail by what each neighbourhood most likely is.",
  },
  disturbedWeight: 0.85,
  fields: {
    detail: keepDetail,
    waves: choice({
      label: "Seen in",
      hint: "Round starlets alone, or the mean with Haar wavelets, which tell directions: keeps a little more of faint structure, and takes four times as long",
      options: [
        { value: "starlets", label: "starlets" },
        { value: "both", label: "starlets and Haar" },
      ],
      default: "starlets",
    }),
  },
  needs: ({ waves }) => (waves === "both" ? ["mixture", "haarMixture"] : ["mixture"]),
  // Scale j smooths over 2 · 2^j px to each side and looks at neighbours as far off: 2 (2^J − 1), and 2 · 2^(J−1) for the last scale.
  reach: () => MIXTURE_REACH,
  clean(even, { detail, waves }, { mixture, haarMixture }, job) {
    const round = mixtureOf(even, detail, mixture, job);
    if (waves !== "both") return round;
    const directed = haarMixtureOf(even, detail, haarMixture, job);
    return round.map((v, i) => (v + directed[i]) / 2);
  },
});
