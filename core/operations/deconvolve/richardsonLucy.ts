import type { Facts } from "../../facts";
import type { Kernels, Psf } from "../../kernels";
import { roundPsf } from "../../measure";
import { rise } from "../../numeric/rise";
import { choice, parameters, slider, tick } from "../../parameters";
import { cropRaster, mirrored, rasterOf } from "../../raster";
import type { Operation } from "../operation";
import { lucy, smoothnessField, targetFwhm } from "./lucy";

const lucyParameters = parameters({
  iterations: slider({
    label: "Iterations",
    hint: "Each further one narrows stars and crisps edges, and raises noise and rings.",
    min: 1,
    max: 100,
    step: 1,
    default: 30,
  }),
  psf: choice({
    label: "Blur",
    hint: "The point-spread function that is taken back.",
    options: [
      { value: "measured", label: "as the stars show it" },
      { value: "typed", label: "of a typed FWHM" },
    ],
    default: "measured",
  }),
  shown: tick({
    label: "No sharper than the sampling carries",
    hint: "With the blur of the stars: shows the result with stars of a width that its pixels can carry, free of rings; without it, as sharp as the iterations make it.",
    default: true,
  }),
  smoothness: { ...smoothnessField(1), when: { name: "psf", is: "measured" } },
  share: slider({
    label: "Share of it",
    hint: "How much of the stars' width is taken for the blur. Wider than they are makes dark rings around them.",
    unit: "× FWHM",
    min: 0.5,
    max: 1.2,
    step: 0.01,
    default: 1,
    when: { name: "psf", is: "measured" },
  }),
  fwhmPx: slider({
    label: "FWHM",
    hint: "Wider takes more blur back; wider than the stars makes rings.",
    unit: "px",
    min: 0.8,
    max: 12,
    step: 0.05,
    default: 3,
    when: { name: "psf", is: "typed" },
  }),
  protectBackground: slider({
    label: "Protect background",
    hint: "Leaves the dark sky as it is, so that its noise is not sharpened.",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0,
  }),
  protectStars: slider({
    label: "Protect bright stars",
    hint: "Leaves the brightest stars as they are, which would ring.",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0.8,
  }),
});
type Params = typeof lucyParameters.defaults;

const FALLBACK_BETA = 3;
/** A blur that no star shows is of the person's choice: it is taken back as Richardson and Lucy have it, and shown as it comes. */
const isOfStars = (p: Params, { psf }: Facts<"psf">): boolean => p.psf === "measured" && psf.fwhmPx !== null;
const isShownAtTarget = (p: Params, facts: Facts<"psf">): boolean => p.shown && isOfStars(p, facts);

/** Width of the blur: as the stars show it, or as typed where there are none. */
const fwhmOf = (p: Params, { psf }: Facts<"psf">): number =>
  p.psf === "typed" ? p.fwhmPx : psf.fwhmPx === null ? p.fwhmPx : psf.fwhmPx * p.share;
const betaOf = ({ psf }: Facts<"psf">): number => Math.min(6, Math.max(2, psf.beta ?? FALLBACK_BETA));

const psfOf = (p: Params, facts: Facts<"psf">): Psf =>
  roundPsf(fwhmOf(p, facts), betaOf(facts), Math.ceil(3.2 * fwhmOf(p, facts)));

/** What the result is shown by; null for as it comes. */
const targetOf = (p: Params, facts: Facts<"psf">): Psf | null =>
  isShownAtTarget(p, facts) ? roundPsf(targetFwhm(fwhmOf(p, facts), 1), betaOf(facts), SHOWN_RADIUS) : null;

/**
 * Richardson–Lucy deconvolution (lucy.ts) with a Moffat PSF as wide as the picture's own stars, or of a typed FWHM. With total variation each step is divided by 1 − λ div(∇u/|∇u|); what came of it is
 * shown by a round Moffat of the target width, which the sampling can carry (a PSF that is too wide makes rings: a target prevents them). Background (what a PSF-wide mean
 * does not lift above its noise) and the neighbourhood of the brightest stars can be kept as they were.
 * Sources: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745; Dey et al. 2006, Microsc. Res. Tech. 69, 260; Magain, Courbin & Sohy 1998, ApJ 494, 472 (target PSF).
 * Version 1 cut off what lay 2 σ below the sky and had neither total variation nor a target.
 */
export const richardsonLucy: Operation<Params, "grain" | "psf" | "sky"> = {
  id: "deconvolve.richardson-lucy",
  version: 2,
  migrations: { 1: (params) => ({ ...params, shown: false, smoothness: 0 }) },
  title: "Richardson–Lucy deconvolution",
  short: "Richardson–Lucy",
  summary: "Takes the blur of the air and the optics back, a little more with each iteration.",
  group: "deconvolve",
  domainIn: "linear",
  domainOut: "either",
  parameters: lucyParameters,
  strength: "iterations",
  stopping: {
    field: "iterations",
    blur: (p, facts) => ({ psf: psfOf(p, facts), target: targetOf(p, facts) }),
  },
  channels: ["luminance", "each"],
  // The influence of a pixel dies out with distance but never ends: at two PSF radii 60 iterations differ by 1.2e-6.
  cropBound: 1e-5,
  needs: ["grain", "psf", "sky"],
  halo: (p, facts) => 2 * ((psfOf(p, facts).size - 1) / 2) + (isShownAtTarget(p, facts) ? SHOWN_RADIUS : 0),
  run(region, p, facts, job) {
    const { width, height } = region;
    const psf = psfOf(p, facts);
    const target = targetOf(p, facts);
    const planes = region.planes.map((plane, c) => {
      const sky = { sky: facts.sky.level[c], sigma: facts.sky.sigma[c], brightest: facts.sky.brightest[c] };
      const range = sky.brightest - sky.sky;
      if (!(range > 0)) return plane;
      const { zero, a } = facts.grain.models[c];
      const settings = {
        ...{ psf, target, iterations: p.iterations, smoothness: isOfStars(p, facts) ? p.smoothness : 0 },
        ...{ zero, sigma: Math.sqrt(a), floor: Math.max(range * 1e-7, sky.sigma * 1e-3), smoothings: 0 },
      };
      const sharp = lucy(plane, width, height, settings, job);
      const keep = protection(plane, width, height, psf, p, sky, job.kernels);
      return sharp.map((v, i) => v + keep[i] * (plane[i] - v));
    });
    return { ...region, planes };
  },
};

interface ChannelSky {
  sky: number;
  sigma: number;
  brightest: number;
}

/** Half the side of the profile by which the result is shown. */
const SHOWN_RADIUS = 8;

/** 0 … 1 for each pixel: how much of the original is kept. */
function protection(
  plane: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  p: Params,
  { sky, sigma, brightest }: ChannelSky,
  kernels: Kernels,
): Float32Array {
  const margin = (psf.size - 1) / 2;
  const [w, h] = [width + 2 * margin, height + 2 * margin];
  const padded = mirrored(plane, width, height, margin, w).grown;
  const near = (of: Float32Array) =>
    cropRaster(rasterOf(w, h, [kernels.convolve(of, w, h, psf)]), { x: margin, y: margin, width, height }).planes[0];
  const keep = new Float32Array(plane.length);
  if (p.protectBackground > 0 && sigma > 0) {
    const mean = near(padded);
    // Noise of a PSF-weighted mean of white noise: σ √Σ P².
    const noise = sigma * Math.sqrt(psf.values.reduce((sum, v) => sum + v * v, 0));
    for (let i = 0; i < keep.length; i++) keep[i] = p.protectBackground * (1 - rise((mean[i] - sky) / noise, 2, 12));
  }
  const limit = sky + 0.75 * (brightest - sky);
  if (p.protectStars > 0 && padded.some((v) => v > limit)) {
    const beside = near(padded.map((v) => (v > limit ? 1 : 0)));
    // A single bright pixel spreads to the PSF's own shape; 40 times that reaches about 1.5 FWHM around it.
    const gain = 40;
    for (let i = 0; i < keep.length; i++)
      keep[i] = Math.max(keep[i], p.protectStars * Math.min(1, Math.max(0, beside[i] * gain)));
  }
  return keep;
}
