import { smoothed } from "../../measure";
import type { JobHandle } from "../../job";
import type { Psf, RichardsonLucySettings } from "../../kernels";
import { slider, toggle } from "../../parameters";
import { cropRaster, mirrored, rasterOf } from "../../raster";

/** Data is lifted by so many σ of its dark end, so that none of it that holds light lies below 0. */
export const PEDESTAL_SIGMA = 4;
/** Scales that are smoothed away to say how dark it is around. */
const AROUND_SCALES = 2;
/** Weight of total variation at a smoothness of 1, in pictures of stars. */
const LAMBDA = 0.01;
/**
 * The same in pictures without: over √(σ · slope), for a blur of 3 px; least error over 12
 * photographs blurred by 2.5 … 5 px (docs/validation/sharpening.md).
 */
const [STEEP_LAMBDA, OF_FWHM] = [0.1, 3];
/** Larger weights make steps swing. */
const MOST_LAMBDA = 0.05;

export const smoothnessField = (fallback: number) =>
  slider({
    label: "Smoothness",
    hint: "How much evenness is worth beside the data; higher keeps noise down and may flatten faint structure",
    min: 0,
    max: 5,
    step: 0.1,
    default: fallback,
  });

/**
 * Weight of the total variation of a picture without stars beside ½ Σ (d − P u)²/σ², in 1/intensity: its slopes, seen
 * through the blur, and its noise say how much of a step is detail.
 */
export const steepWeight = (sigma: number, slope: number, fwhmPx: number): number =>
  sigma > 0 && slope > 0 ? (STEEP_LAMBDA * Math.sqrt(OF_FWHM / fwhmPx)) / Math.sqrt(sigma * slope) : 0;

export const hastenedField = () =>
  toggle({
    label: "Longer steps",
    hint: "Each iteration goes on in the way of the last: about a third of them do the same. Rims of a disc on a dark sky would ring: with a typed blur its steps stay plain.",
    default: true,
  });

/** The narrowest stars that the sampling carries, in px, and as a share of those before. */
const [NARROWEST_PX, NARROWEST_SHARE] = [1.8, 0.6];

/** FWHM that is aimed at, in px, for stars of a FWHM: that itself at a strength of 0, what the sampling carries at 1. */
export const targetFwhm = (fwhm: number, strength: number): number =>
  fwhm - strength * (fwhm - Math.min(fwhm, Math.max(NARROWEST_PX, NARROWEST_SHARE * fwhm)));

export interface LucySettings {
  psf: Psf;
  iterations: number;
  smoothness: number;
  /** The darkest level, and the noise there. */
  zero: number;
  sigma: number;
  /** The data is taken to be at least this above nothing. */
  floor: number;
  /** Times that the first estimate is the smoothed data. */
  smoothings: number;
  /** How near the estimate, blurred, must come to the data by pixel to be left alone there; null or none for never. */
  near?: Float32Array | null;
  /** In pictures without stars: the weight of total variation (steepWeight), and the noise at each level. @default of stars */
  surface?: { weight: number; variance: (level: number) => number } | null;
  isHastened?: boolean;
  /** Leaves out what lies far below its surroundings: what taking stars off left is no shadow. @default false */
  cutsBelow?: boolean;
}

/** What Richardson–Lucy found, and what it was lifted by: all with a margin of the PSF's radius. */
export interface Restored {
  estimate: Float32Array;
  lifted: Float32Array;
  width: number;
  height: number;
  margin: number;
}

/**
 * A plane through Richardson–Lucy with total variation, mirrored beyond its border. Where its surroundings are darker than the darkest level, as in shadows on the Moon, they are the level there; what lies more than 4 σ below that is no light of a blur, and is added again as it was:
 * nothing is cut off. Sources: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745; Dey et al. 2006, Microsc. Res. Tech. 69, 260;
 * shown by a target: Magain, Courbin & Sohy 1998, ApJ 494, 472.
 */
export function restored(
  plane: Float32Array,
  width: number,
  height: number,
  {
    psf,
    iterations,
    smoothness,
    zero,
    sigma,
    floor,
    smoothings,
    near,
    surface,
    isHastened,
    cutsBelow = false,
  }: LucySettings,
  job: JobHandle,
): Restored {
  const { kernels } = job;
  const margin = (psf.size - 1) / 2;
  const [w, h] = [width + 2 * margin, height + 2 * margin];
  const seen = mirrored(plane, width, height, margin, w).grown;
  const around = smoothed(seen, w, h, AROUND_SCALES, kernels);
  const pedestal = around.map((level) => Math.min(zero, level) - PEDESTAL_SIGMA * sigma);
  const data = seen.map((v, i) => Math.max(v - pedestal[i], floor));
  const start = smoothed(data, w, h, smoothings, kernels);
  // Steps of Richardson and Lucy weigh what is missed by 1 over the light, noise by 1 over its variance.
  const lambda = surface
    ? around.map((level, i) =>
        Math.min(MOST_LAMBDA, (smoothness * surface.weight * surface.variance(level)) / (level - pedestal[i])),
      )
    : LAMBDA * smoothness;
  const variation = smoothness > 0 && sigma > 0 ? { lambda, soften: 0.5 * sigma } : null;
  const grown = near && mirrored(near, width, height, margin, w).grown;
  const damping = grown ? { inverse: grown.map((v) => 1 / (v * v)) } : null;
  const settings: RichardsonLucySettings = { iterations, start, floor, variation, damping, isHastened };
  const estimate = kernels.richardsonLucy(data, w, h, psf, settings, () => job.check());
  const lifted = pedestal.map((v, i) => v + (cutsBelow ? 0 : Math.min(0, seen[i] - v)));
  return { estimate, lifted, width: w, height: h, margin };
}

/** What was restored as a target shows it; null for as it comes. */
export function shownBy(
  { estimate, lifted, width, height, margin }: Restored,
  target: Psf | null,
  { kernels }: JobHandle,
): Float32Array {
  const shown = target ? kernels.convolve(estimate, width, height, target) : estimate;
  const whole = shown.map((v, i) => v + lifted[i]);
  const inside = { x: margin, y: margin, width: width - 2 * margin, height: height - 2 * margin };
  return cropRaster(rasterOf(width, height, [whole]), inside).planes[0];
}
