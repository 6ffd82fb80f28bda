import type { Facts } from "../../facts";
import type { JobHandle } from "../../job";
import { inverseFilters, meanCovariance, sigmaAt, surroundings } from "../../measure";
import { parameters, slider } from "../../parameters";
import { cropRaster, difference, mirrored, rasterOf } from "../../raster";
import { around } from "../around";
import type { Operation } from "../operation";
import type { StarBlur } from "./blur";
import { blurFields, noBlur } from "./blur";
import type { ShownBlur } from "./deconvolvePlanes";
import { deconvolvePlanes, reachOf } from "./deconvolvePlanes";
import { targetFwhm } from "./lucy";

/** Sizes that are weighed, as starlet scales: detail of 1 … 8 px; what is coarser lost next to nothing. */
const SCALES = 4;
/** How far the inverse goes where the blur leaves hardly anything, P̄ over |P|² + this: from the least to where hardly anything comes back. */
const LEAST_POWERS = [3e-5, 7e-4, 8e-3, 6e-2];
/** What is taken away counts as detail as far as it exceeds so many times what noise makes of it. */
const SURE = 1.3;
/** The PSF is known to about this share of the light; what it is wrong by goes as far as so many starlet smoothings. */
const [PSF_ERROR, ERROR_SCALES] = [0.03, 3];
/** Noise is taken for at least this. */
const LEAST_VARIANCE = 1e-24;
/** Half the side of the inverse filter, over the FWHM, and at least. */
const [REACH, LEAST_REACH] = [5, 20];

const inverseParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "How much of the blur is taken back: stars become as narrow as the sampling carries at 1, and stay as they are at 0",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0.6,
  }),
  ...blurFields({ psf: "measured", fwhmPx: 3, beta: 3 }),
  gate: slider({
    label: "Noise gate",
    hint: "How far what comes back at a place and size must rise above what noise becomes there; higher is smoother, and loses faint detail",
    unit: "σ",
    min: 0,
    max: 4,
    step: 0.05,
    default: 1,
  }),
});
type Params = typeof inverseParameters.defaults;
type Needed = "noiseModel" | StarBlur;

const radiusOf = (fwhm: number): number => Math.max(LEAST_REACH, Math.ceil(REACH * fwhm));

/**
 * Inverse filters to a target PSF, G P̄ over (|P|² + ε) for several ε, mixed at each place and starlet scale by their risks⁻²: risk(ε) = (Σ √max(0, ⟨(w_ε − w_ε′)²⟩ − 1.3 of what noise makes of that))² + the noise of w_ε, ε′ the next smaller ones, ⟨⟩ the local mean.
 * What comes of it is weighed: coefficients × max(0, 1 − (gate σ)²/power), σ what the picture's noise becomes by the mixture. One pass. After Neelamani, Choi & Baraniuk 2004, IEEE Trans. Signal Process. 52, 418 (a regularised inverse in the Fourier domain,
 * then shrinkage in wavelets), with the starlet; risks: Stein 1981, Ann. Stat. 9, 1135; a target: Magain, Courbin & Sohy 1998, ApJ 494, 472.
 * Version 1 took the typed FWHM where no star told it.
 */
export const inverse: Operation<Params, Needed> = {
  id: "deconvolve.inverse",
  version: 2,
  words: {
    title: "Inverse, noise gated",
    short: "Inverse",
    summary: "Takes the blur back in one pass, and keeps of it at each place and size what noise does not explain.",
  },
  group: "deconvolve",
  madeFor: "linear",
  parameters: inverseParameters,
  can: {
    disturbedWeight: 1,
    strength: { field: "strength" },
    restoration: { aims: ({ strength }, fwhmPx) => targetFwhm(fwhmPx, strength) },
  },
  channels: ["luminance", "each", "together"],
  needs: ({ psf }) => (psf === "measured" ? ["noiseModel", "psf", "psfShape"] : ["noiseModel"]),
  // The filter; coefficients of the last scale look 2 (2^4 − 1) px far, their power 2 · 2^3 more;
  // what stands out is measured by two times three smoothings.
  idle: noBlur,
  source: around(haloOf),
  run(region, { params: p, facts, job, place }) {
    if (p.strength === 0) return region;
    const how = { strength: p.strength, halo: haloOf(p, facts) };
    return deconvolvePlanes(region, place, p, facts, how, job, (plane, width, height, blur, c, own) =>
      inverted(plane, width, height, blur, p.gate, facts.noiseModel, c, own),
    );
  },
};

function haloOf(p: Params, facts: Facts<Needed>): number {
  return radiusOf(reachOf(p, facts).fwhm) + 2 * (2 ** SCALES - 1) + 2 ** SCALES + 4 * (2 ** ERROR_SCALES - 1);
}

function inverted(
  plane: Float32Array,
  width: number,
  height: number,
  { psf, target, fwhm }: ShownBlur,
  gate: number,
  { models, covariance }: Facts<"noiseModel">["noiseModel"],
  c: number,
  { kernels }: JobHandle,
): Float32Array {
  const radius = radiusOf(fwhm);
  const lags = meanCovariance(covariance);
  const level = surroundings(plane, width, height, kernels);
  // What the PSF is wrong by comes back as noise does, round what stands out.
  const widely = (of: Float32Array) =>
    Array.from({ length: ERROR_SCALES }, (_, j) => j).reduce(
      (plane, j) => kernels.starletSmooth(plane, width, height, j),
      of,
    );
  const light = widely(squared(difference(level, widely(level))));
  const noise = level.map((v, i) => Math.max(sigmaAt(models[c], v) ** 2 + PSF_ERROR ** 2 * light[i], LEAST_VARIANCE));
  const [w, h] = [width + 2 * radius, height + 2 * radius];
  const grown = mirrored(plane, width, height, radius, w).grown;
  const inside = { x: radius, y: radius, width, height };
  const filters = inverseFilters(psf, target, LEAST_POWERS, radius, lags, SCALES);
  const current = filters.map(
    ({ filter }) => cropRaster(rasterOf(w, h, [kernels.convolve(grown, w, h, filter)]), inside).planes[0],
  );
  const [out, smooth] = [new Float32Array(plane.length), [...current]];
  for (let scale = 0; scale < SCALES; scale++) {
    const details = current.map((of, k) => {
      smooth[k] = kernels.starletSmooth(of, width, height, scale);
      return difference(of, smooth[k]);
    });
    const local = (of: Float32Array) => kernels.starletSmooth(squared(of), width, height, scale);
    const [sums, weights, variances, bias] = [0, 1, 2, 3].map(() => new Float32Array(plane.length));
    for (const [k, { left, taken }] of filters.entries()) {
      // What it takes away of what the one before lets through.
      const away = k === 0 ? null : local(difference(details[k], details[k - 1]));
      weigh({ sums, weights, variances, bias }, details[k], away, noise, left[scale], SURE * taken[scale]);
    }
    for (let i = 0; i < sums.length; i++) sums[i] /= weights[i];
    const power = local(sums);
    for (let i = 0; i < out.length; i++) {
      const least = (gate * gate * noise[i] * variances[i]) / weights[i];
      if (power[i] > least) out[i] += (1 - least / power[i]) * sums[i];
    }
    current.forEach((_, k) => (current[k] = smooth[k]));
  }
  return out.map((v, i) => v + current[0][i]);
}

function squared(a: Float32Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let i = 0; i < out.length; i++) out[i] = a[i] * a[i];
  return out;
}

interface Mixture {
  sums: Float32Array;
  weights: Float32Array;
  variances: Float32Array;
  /** What was taken away so far besides noise. */
  bias: Float32Array;
}

/** Adds a filter's coefficients by their risk⁻², in σ² of the picture, that squares stay in range. */
function weigh(
  { sums, weights, variances, bias }: Mixture,
  detail: Float32Array,
  away: Float32Array | null,
  noise: Float32Array,
  left: number,
  taken: number,
): void {
  for (let i = 0; i < sums.length; i++) {
    if (away && away[i] > taken * noise[i]) bias[i] += Math.sqrt(away[i] - taken * noise[i]);
    const risk = (bias[i] * bias[i]) / noise[i] + left;
    const weight = 1 / (risk * risk);
    sums[i] += weight * detail[i];
    weights[i] += weight;
    variances[i] += weight * left;
  }
}
