import type { Facts } from "../../facts";
import type { Kernels, Psf } from "../../kernels";
import { roundPsf } from "../../measure";
import { choice, parameters, slider, tick } from "../../parameters";
import type { Operation } from "../operation";
import { mirrorPadded } from "./margin";
import { targetFwhm } from "./target";

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
  shown: {
    ...tick({
      label: "No sharper than the sampling carries",
      hint: "With the blur of the stars: shows the result with stars of a width that its pixels can carry, free of rings; without it, as sharp as the iterations make it.",
      default: true,
    }),
  },
  smoothness: {
    ...slider({
      label: "Smoothness",
      hint: "How much evenness is worth beside the data; higher keeps noise down and may flatten faint structure.",
      min: 0,
      max: 5,
      step: 0.1,
      default: 1,
    }),
    when: { name: "psf", is: "measured" },
  },
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
/** Data is lifted by so many σ of its dark end, so that none of it that holds light lies below 0. */
const PEDESTAL_SIGMA = 4;
/** Weight of total variation at a smoothness of 1. */
const LAMBDA = 0.01;

/** A typed blur is that of a picture without stars, and of the person's choice: it is shown as it comes. */
const isShownAtTarget = ({ shown, psf }: Params): boolean => shown && psf === "measured";

function psfOf(p: Params, { psf }: Facts<"psf">): Psf {
  const fwhm = p.psf === "typed" ? p.fwhmPx : (psf.fwhmPx ?? p.fwhmPx) * p.share;
  return roundPsf(fwhm, Math.min(6, Math.max(2, psf.beta ?? FALLBACK_BETA)), Math.ceil(3.2 * fwhm));
}

/**
 * Richardson–Lucy deconvolution with a Moffat PSF, a little narrower than the picture's own stars (a PSF that is too wide
 * makes rings; common practice) or of a typed FWHM. What lies 4 σ below the darkest
 * level is taken for 0. With total variation each step is divided by 1 − λ div(∇u/|∇u|); what came of it is shown by a round Moffat of the target width, which the sampling can carry. Background (what a PSF-wide mean
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
  channels: ["luminance", "each"],
  // The influence of a pixel dies out with distance but never ends: at two PSF radii 60 iterations differ by 1.2e-6.
  cropBound: 1e-5,
  needs: ["grain", "psf", "sky"],
  halo: (p, facts) => 2 * ((psfOf(p, facts).size - 1) / 2) + (isShownAtTarget(p) ? SHOWN_RADIUS : 0),
  run(region, p, facts, job) {
    const psf = psfOf(p, facts);
    const planes = region.planes.map((plane, c) => {
      const { zero, a } = facts.grain.models[c];
      const sky = {
        ...{ sky: facts.sky.level[c], sigma: facts.sky.sigma[c], brightest: facts.sky.brightest[c] },
        pedestal: zero - PEDESTAL_SIGMA * Math.sqrt(a),
      };
      const target = isShownAtTarget(p) ? targetPsf(p, facts) : null;
      return deconvolvePlane(plane, region.width, region.height, psf, target, p, sky, job.kernels, () => job.check());
    });
    return { ...region, planes };
  },
};

interface ChannelSky {
  sky: number;
  sigma: number;
  brightest: number;
  pedestal: number;
}

/** Half the side of the profile by which the result is shown. */
const SHOWN_RADIUS = 8;

/** A round Moffat of the width that is aimed at: what the sampling carries, or the blur itself where that is narrower. */
function targetPsf(p: Params, { psf }: Facts<"psf">): Psf {
  const fwhm = (psf.fwhmPx ?? p.fwhmPx) * p.share;
  return roundPsf(targetFwhm(fwhm, 1), Math.min(6, Math.max(2, psf.beta ?? FALLBACK_BETA)), SHOWN_RADIUS);
}

function deconvolvePlane(
  plane: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  target: Psf | null,
  p: Params,
  facts: ChannelSky,
  kernels: Kernels,
  check: () => void,
): Float32Array {
  const { sky, sigma, brightest, pedestal } = facts;
  const radius = (psf.size - 1) / 2;
  const padded = mirrorPadded(plane, width, height, radius);
  const w = width + 2 * radius;
  const h = height + 2 * radius;
  const range = brightest - sky;
  if (!(range > 0)) return plane;
  const floor = Math.max(range * 1e-7, sigma * 1e-3);
  const data = new Float32Array(padded.length);
  for (let i = 0; i < data.length; i++) data[i] = Math.max(padded[i] - pedestal, floor);
  const smoothness = p.psf === "measured" ? p.smoothness : 0;
  const variation = smoothness > 0 && sigma > 0 ? { lambda: LAMBDA * smoothness, soften: 0.5 * sigma } : null;
  const settings = { iterations: p.iterations, start: "data" as const, floor, variation };
  const found = kernels.richardsonLucy(data, w, h, psf, settings, check);
  const sharp = target ? kernels.convolve(found, w, h, target) : found;
  const keep = protection(padded, w, h, psf, p, facts, kernels);
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const k = (y + radius) * w + x + radius;
      out[i] = plane[i] + (1 - keep[k]) * (sharp[k] + pedestal - plane[i]);
    }
  return out;
}

/** 0 … 1 for each pixel: how much of the original is kept. */
function protection(
  padded: Float32Array,
  w: number,
  h: number,
  psf: Psf,
  p: Params,
  { sky, sigma, brightest }: ChannelSky,
  kernels: Kernels,
): Float32Array {
  const keep = new Float32Array(padded.length);
  if (p.protectBackground > 0 && sigma > 0) {
    const mean = kernels.convolve(padded, w, h, psf);
    // Noise of a PSF-weighted mean of white noise: σ √Σ P².
    const noise = sigma * Math.sqrt(psf.values.reduce((sum, v) => sum + v * v, 0));
    for (let i = 0; i < keep.length; i++) {
      const t = Math.min(1, Math.max(0, ((mean[i] - sky) / noise - 2) / 10));
      keep[i] = p.protectBackground * (1 - t * t * (3 - 2 * t));
    }
  }
  if (p.protectStars > 0) {
    const limit = sky + 0.75 * (brightest - sky);
    const bright = new Float32Array(padded.length);
    let any = false;
    for (let i = 0; i < bright.length; i++)
      if (padded[i] > limit) {
        bright[i] = 1;
        any = true;
      }
    if (any) {
      const near = kernels.convolve(bright, w, h, psf);
      // A single bright pixel spreads to the PSF's own shape; 40 times that reaches about 1.5 FWHM around it.
      const gain = 40;
      for (let i = 0; i < keep.length; i++)
        keep[i] = Math.max(keep[i], p.protectStars * Math.min(1, Math.max(0, near[i] * gain)));
    }
  }
  return keep;
}
