import type { Facts } from "../../facts";
import type { JobHandle } from "../../job";
import type { Kernels, Psf } from "../../kernels";
import type { Memory } from "../../memory";
import type { MoffatShape } from "../../measure";
import { meanPsf, moffatPsf, roundPsf, sigmaAt, smoothed, surroundings } from "../../measure";
import { smoothstep } from "../../numeric/smoothstep";
import { parameters, slider, toggle } from "../../parameters";
import type { Raster } from "../../raster";
import { cropRaster, mirrored, rasterOf } from "../../raster";
import { around } from "../around";
import type { Operation } from "../operation";
import type { StarBlur } from "./blur";
import {
  blurFields,
  blurRadius,
  meanFwhm,
  narrowed,
  noBlur,
  shapesOf,
  typedBlur,
  typedFwhm,
  typedRadius,
} from "./blur";
import { suppressRings } from "./ringSuppression";
import { limitUndershoot } from "./undershootLimit";
import { hastenedField, restored, shownBy, smoothnessField, steepWeight, targetFwhm } from "./lucy";
import { withSpatiallyVaryingPsf, widest } from "./spatiallyVaryingPsf";

/** Blurs that stars showed, here or elsewhere. */
const OF_STARS = ["measured", "kept"] as const;
const isOfStars = (psf: unknown) => OF_STARS.some((kind) => kind === psf);

const lucyParameters = parameters({
  iterations: slider({
    label: "Iterations",
    hint: "Each further one narrows stars and crisps edges, and raises noise and rings.",
    min: 1,
    max: 100,
    step: 1,
    default: 20,
  }),
  hastened: hastenedField(),
  ...blurFields({ psf: "measured", fwhmPx: 3, beta: 3 }),
  shown: toggle({
    label: "No sharper than the sampling carries",
    hint: "With the blur of stars: shows the result with stars of a width that its pixels can carry, free of rings; without it, as sharp as the iterations make it.",
    default: true,
  }),
  smoothness: smoothnessField(1),
  damping: slider({
    label: "Leave alone below",
    hint: "What the result, blurred again, misses by less than this much of the noise is taken for right: grain is not worked on any more",
    unit: "σ",
    min: 0,
    max: 6,
    step: 0.1,
    default: 0,
  }),
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
type Needed = "surface" | "noiseModel" | "sky" | StarBlur;

/** Half the side of the profile by which the result is shown. */
const SHOWN_RADIUS = 8;

/** The PSF of a shape, and what the result is shown by; null for as it comes. A blur that no star shows is of the person's choice: it is taken back as Richardson and Lucy have it, and shown as it comes. */
function blurOf(p: Params, shape: MoffatShape): { psf: Psf; target: Psf | null } {
  const of = narrowed(shape, p.share);
  const target = p.shown ? roundPsf(targetFwhm(meanFwhm(of), 1), of.beta, SHOWN_RADIUS) : null;
  return { psf: moffatPsf(of, blurRadius(of.fwhmMajor)), target };
}

/** The same of a blur that no star of this picture shows; one that was taken from stars elsewhere is shown as theirs are. */
const typedOf = (p: Params, memory?: Memory): { psf: Psf; target: Psf | null } => ({
  psf: typedBlur(p, memory),
  target: p.psf === "kept" && p.shown ? roundPsf(targetFwhm(typedFwhm(p), 1), p.beta, SHOWN_RADIUS) : null,
});

/**
 * Richardson–Lucy deconvolution (lucy.ts) with the PSF of each channel as the picture's own stars show it (elongated Moffat, changing over the picture where they do), or a typed one. With total variation each step is divided by 1 − λ div(∇u/|∇u|); what came of it is
 * shown by a round Moffat of the target width, which the sampling can carry (a PSF that is too wide makes rings: a target prevents them). Background (what a PSF-wide mean
 * does not lift above its noise) and the neighbourhood of the brightest stars can be kept as they were.
 * Sources: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745; Dey et al. 2006, Microsc. Res. Tech. 69, 260; Magain, Courbin & Sohy 1998, ApJ 494, 472 (target PSF); White 1994, ASP Conf. 61, 292 (damping);
 * Wang & Miller 2014, IEEE Trans. Image Process. 23, 848 (longer steps).
 * Version 1 cut off what lay 2 σ below the sky and had neither total variation nor a target;
 * version 2 took one round PSF for all channels, and the stars' β for a typed FWHM; version 3 cut
 * off shadows on small areas, and took the typed FWHM where no star told it; version 4 left dark
 * rings round bright stars, and took longer steps with any blur; version 5 left faint rings beside
 * the brightest stars; version 6 took plain steps without smoothness with any blur that no star
 * shows, and kept bright surfaces as bright stars.
 */
export const richardsonLucy: Operation<Params, Needed> = {
  id: "deconvolve.richardson-lucy",
  version: 7,
  migrations: {
    1: (params) => ({ ...params, shown: false, smoothness: 0 }),
    4: (older) => {
      const params = { iterations: 30, hastened: false, ...older };
      const isLonger = params.hastened && "psf" in params && !isOfStars(params.psf);
      return isLonger ? { ...params, iterations: Math.min(100, 3 * params.iterations) } : params;
    },
    6: (params) => ("psf" in params && !isOfStars(params.psf) ? { ...params, hastened: false, smoothness: 0 } : params),
  },
  words: {
    title: "Richardson–Lucy deconvolution",
    short: "Richardson–Lucy",
    summary: "Takes the blur of the air and the optics back, a little more with each iteration.",
  },
  group: "deconvolve",
  madeFor: "linear",
  parameters: lucyParameters,
  can: {
    disturbedWeight: 0.2,
    strength: { field: "iterations" },
    stopping: { field: "iterations" },
    restoration: {
      blur(p, facts) {
        if (noBlur(p, facts)) return null;
        const shapes = shapesOf(p, facts);
        if (!shapes) return typedOf(p);
        const narrow = shapes.map((shape) => narrowed(shape, p.share));
        const { target } = blurOf(p, shapes[0]);
        return { psf: meanPsf(narrow, blurRadius(Math.max(...narrow.map(({ fwhmMajor }) => fwhmMajor)))), target };
      },
      aims: (p, fwhmPx) => (p.psf === "measured" && p.shown ? targetFwhm(p.share * fwhmPx, 1) : null),
    },
  },
  channels: ["luminance", "each"],
  // The influence of a pixel dies out with distance but never ends: at two PSF radii 60 iterations differ by 1.2e-6.
  needs: ({ psf }) => [
    "noiseModel",
    "sky",
    ...(psf === "measured" ? (["psf", "psfShape"] as const) : (["surface"] as const)),
  ],
  idle: noBlur,
  source: around(haloOf),
  run(region, { params: p, facts, job, place }) {
    const shapes = shapesOf(p, facts);
    const treat = (part: Raster, own: readonly MoffatShape[] | null) => ({
      ...part,
      planes: part.planes.map((plane, c) => {
        const shape = own?.[Math.min(c, own.length - 1)];
        const blur = shape ? blurOf(p, shape) : typedOf(p, job.kernels.memory);
        const starFwhm = shape ? meanFwhm(shape) : null;
        return treated(plane, part.width, part.height, { ...blur, starFwhm }, p, facts, c, job);
      }),
    });
    return shapes
      ? withSpatiallyVaryingPsf(region, place, shapes, haloOf(p, facts), job, (part, _kept, own) => treat(part, own))
      : treat(region, null);
  },
};

/** Wings below this β carry a pixel's influence further: at 1.6 two radii left 1.3e-5. */
const WIDE_WINGS = 2.2;

function haloOf(p: Params, facts: Facts<Needed>): number {
  return Math.max(ownHalo(p, facts), p.protectStars > 0 ? blurHalo(p, facts) + POINT_HALO : 0);
}

function blurHalo(p: Params, facts: Facts<Needed>): number {
  const shapes = shapesOf(p, facts);
  return shapes ? blurRadius(p.share * Math.max(...shapes.map(widest))) : typedRadius(p);
}

function ownHalo(p: Params, facts: Facts<Needed>): number {
  const shapes = shapesOf(p, facts);
  const shown = p.shown ? SHOWN_RADIUS : 0;
  if (!shapes)
    return (p.psf === "typed" && p.beta < WIDE_WINGS ? 3 : 2) * typedRadius(p) + (p.psf === "kept" ? shown : 0);
  return 2 * blurRadius(p.share * Math.max(...shapes.map(widest))) + shown;
}

function treated(
  plane: Float32Array,
  width: number,
  height: number,
  { starFwhm, ...blur }: { psf: Psf; target: Psf | null; starFwhm: number | null },
  p: Params,
  { surface, noiseModel, sky: ofSky }: Facts<Needed>,
  c: number,
  job: JobHandle,
): Float32Array {
  const sky = { sky: ofSky.level[c], sigma: ofSky.sigma[c], brightest: ofSky.brightest[c] };
  const range = sky.brightest - sky.sky;
  if (!(range > 0)) return plane;
  const { zero, a } = noiseModel.models[c];
  const sigmas =
    p.damping > 0 && a > 0
      ? surroundings(plane, width, height, job.kernels).map((level) => sigmaAt(noiseModel.models[c], level))
      : null;
  const settings = {
    ...blur,
    iterations: p.iterations,
    isHastened: p.hastened && (isOfStars(p.psf) || !surface.isObject),
    smoothness: p.smoothness,
    surface: isOfStars(p.psf)
      ? null
      : {
          weight: steepWeight(Math.sqrt(a), surface.slope[c], typedFwhm(p)),
          variance: (level: number) => sigmaAt(noiseModel.models[c], level) ** 2,
        },
    zero: p.psf === "measured" ? zero : Math.min(zero, surface.darkest[c]),
    sigma: Math.sqrt(a),
    floor: Math.max(range * 1e-7, sky.sigma * 1e-3),
    smoothings: 0,
    near: sigmas && sigmas.map((sigma) => p.damping * sigma),
  };
  const found = restored(plane, width, height, settings, job);
  const { psf, target } = blur;
  const asItComes =
    starFwhm !== null && target
      ? suppressRings(plane, found, { psf, target, fwhm: starFwhm }, noiseModel.models[c], job)
      : shownBy(found, target, job);
  // Where no star is nobody knows what is a ring: shadows on the Moon may become darker.
  const sharp =
    starFwhm === null
      ? asItComes
      : limitUndershoot(asItComes, plane, width, height, starFwhm, noiseModel.models[c], job.kernels);
  const keep = protection(plane, width, height, blur.psf, p, sky, job.kernels);
  return sharp.map((v, i) => v + keep[i] * (plane[i] - v));
}

/** What stands out of its surroundings of some 16 px is a point: bright surfaces do not. */
const POINT_SCALES = 4;
const POINT_HALO = 2 * (2 ** POINT_SCALES - 1);

interface ChannelSky {
  sky: number;
  sigma: number;
  brightest: number;
}

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
    for (let i = 0; i < keep.length; i++)
      keep[i] = p.protectBackground * (1 - smoothstep((mean[i] - sky) / noise, 2, 12));
  }
  if (p.protectStars > 0) {
    const around = smoothed(padded, w, h, POINT_SCALES, kernels);
    const least = 0.75 * (brightest - sky);
    const beside = near(padded.map((v, i) => (v - around[i] > least ? 1 : 0)));
    // A single bright pixel spreads to the PSF's own shape; 40 times that reaches about 1.5 FWHM around it.
    const gain = 40;
    for (let i = 0; i < keep.length; i++)
      keep[i] = Math.max(keep[i], p.protectStars * Math.min(1, Math.max(0, beside[i] * gain)));
  }
  return keep;
}
