import * as z from "zod";
import type { FrameUnit } from "../formats";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { cropRaster, meanPlane, median, medianInPlace, rasterOf } from "../raster";
import { fitBackgroundPlane, measureBackground } from "./background";
import { doubleImage, findDoubleImage } from "./doubles";
import { looksLikeMosaic } from "./mosaic";
import { pixelNoise } from "./noise";
import { measureSaturation } from "./saturation";
import type { StarFit } from "./fit";
import type { Star } from "./stars";
import { findStars } from "./stars";
import { trail } from "./trail";
import { findTrails } from "./trails";

/** What one sub is worth; levels are in samples of the raster, one value a channel where there are several. */
export const subMeasures = z.object({
  stars: z.number().int(),
  /** Median FWHM of the fitted stars in px; null where none could be fitted. */
  fwhmPx: z.number().nullable(),
  /** Median of √(1 − (minor/major)²); null where none could be fitted. */
  eccentricity: z.number().nullable(),
  /** Direction of the stars' long axis in radians from x towards y, −π/2 … π/2; null where none could be fitted. */
  elongationAngle: z.number().nullable().default(null),
  /** How well the stars agree in that direction: 0 not at all, 1 all alike. */
  elongationAgreement: z.number().nullable().default(null),
  background: z.array(z.number()),
  /** The plane through the background: value(x, y) = level + dx · x + dy · y in pixel coordinates of the sub. */
  gradient: z.array(z.object({ level: z.number(), dx: z.number(), dy: z.number() })),
  /** σ per pixel; 0 where it is not known: black is cut off, or there is none. */
  noise: z.array(z.number()),
  /** Share of pixels that have the least value of all, where that is cut off; 0 where the dark end is whole. */
  blackShare: z.number().default(0),
  /** The value that stands for no data along its borders, and counts as none in all of this; null for none. */
  blank: z.number().nullable().optional(),
  /** Share of pixels of which a channel is saturated. */
  saturatedShare: z.number(),
  /**
   * σ per pixel over what the finest starlet scale shows, per channel: 1 for white noise; null where it is not known.
   */
  noiseCorrelation: z.array(z.number().nullable()).default([]),
  /** Wings of its stars (β of Moffat's profile), the median; null where it is not known. */
  beta: z.number().nullable().optional(),
  /** The clearest straight trail; null where there is none. */
  trail: trail.nullable().default(null),
  /** Others that are there besides. */
  otherTrails: z.array(trail).default([]),
  /** Whether a frame of one channel looks like a raw colour mosaic. */
  looksMosaic: z.boolean().default(false),
  /** Every star twice: the mount jumped; null where they are single. */
  double: doubleImage.nullable().default(null),
});
export type SubMeasures = z.infer<typeof subMeasures>;

/** Of a frame in which nothing was measured. */
export const NO_MEASURES: SubMeasures = {
  stars: 0,
  fwhmPx: null,
  eccentricity: null,
  elongationAngle: null,
  elongationAgreement: null,
  background: [0],
  gradient: [{ level: 0, dx: 0, dy: 0 }],
  noise: [0],
  blackShare: 0,
  saturatedShare: 0,
  noiseCorrelation: [],
  beta: null,
  trail: null,
  otherTrails: [],
  looksMosaic: false,
  double: null,
};

/** A star as registration and photometry need it. */
export const listedStar = z.object({
  x: z.number(),
  y: z.number(),
  flux: z.number(),
  snr: z.number(),
  saturated: z.boolean(),
});
export type ListedStar = z.infer<typeof listedStar>;

export interface StarShape {
  fwhmPx: number | null;
  eccentricity: number | null;
  beta: number | null;
  elongationAngle: number | null;
  elongationAgreement: number | null;
}

/**
 * Medians over the fitted stars, those of SNR ≥ 25 if there are ten of them (faint fits look elongated by their noise); null
 * where none was fitted. The direction is the mean of doubled angles, each weighted by its star's flattening; its length over
 * the sum of weights says how well they agree. Source: circular statistics of axes, Mardia & Jupp 2000, 1.4.
 */
export function starShape(stars: Star[]): StarShape {
  const fits = clearFits(stars);
  if (fits.length === 0)
    return { fwhmPx: null, eccentricity: null, beta: null, elongationAngle: null, elongationAgreement: null };
  const of = (value: (fit: (typeof fits)[number]) => number) => medianInPlace(Float64Array.from(fits, value));
  let x = 0;
  let y = 0;
  let weights = 0;
  for (const { angle, fwhmMajor, fwhmMinor } of fits) {
    const weight = 1 - fwhmMinor / fwhmMajor;
    x += weight * Math.cos(2 * angle);
    y += weight * Math.sin(2 * angle);
    weights += weight;
  }
  return {
    fwhmPx: of((fit) => Math.sqrt(fit.fwhmMajor * fit.fwhmMinor)),
    eccentricity: of((fit) => Math.sqrt(Math.max(0, 1 - (fit.fwhmMinor / fit.fwhmMajor) ** 2))),
    beta: of((fit) => fit.beta),
    elongationAngle: 0.5 * Math.atan2(y, x),
    elongationAgreement: weights > 0 ? Math.hypot(x, y) / weights : 0,
  };
}

/** The fits of stars of SNR ≥ 25 if there are ten of them, else all. */
function clearFits(stars: readonly Star[]): StarFit[] {
  const fitted = stars.filter((star) => star.fit !== null);
  const clear = fitted.filter((star) => star.snr >= 25);
  return (clear.length >= 10 ? clear : fitted).flatMap(({ fit }) => fit ?? []);
}

/** σ of the widths of stars against their nearest neighbour's, as a share, is below this: .01 … .07 on stacks and subs, .23 and more for craters, knots and galaxies. */
const ALIKE = 0.15;
/** The median of a distance in two directions over its σ in each (Rayleigh's distribution). */
const RAYLEIGH_MEDIAN = Math.sqrt(2 * Math.LN2);

/**
 * Whether fitted stars are as long and as wide as their nearest neighbours, so that they are stars; true where too few were fitted to tell. Neighbours, since the blur may change over the picture. `pieces` are parts of a picture with coordinates of their own. Source: own.
 */
export function areAlike(pieces: readonly (readonly Star[])[]): boolean {
  const away = pieces.flatMap((stars) => {
    const fits = clearFits(stars);
    return fits.flatMap((one) => {
      const others = fits.filter((other) => other !== one);
      if (others.length === 0) return [];
      const distances = others.map(({ x, y }) => Math.hypot(x - one.x, y - one.y));
      const near = others[distances.indexOf(Math.min(...distances))];
      const [long, short] = [one.fwhmMajor / near.fwhmMajor, one.fwhmMinor / near.fwhmMinor].map(Math.log);
      return [Math.hypot(long, short) / Math.SQRT2];
    });
  });
  return away.length < 3 || medianInPlace(Float64Array.from(away)) < ALIKE * RAYLEIGH_MEDIAN;
}

/** Pictures above this many pixels get a coarser background mesh, and their noise from samples: both are plenty then. */
const LARGE = 4e6;
const STARS_KEPT = 1000;

export interface SubOptions {
  /** What the samples are; without it only the pile-up in star cores shows saturation. @default null */
  unit?: FrameUnit | null;
  /** σ per pixel by channel, where it is known better than the finished picture shows it. @default null */
  noise?: readonly number[] | null;
  /** The value that stands for no data along its borders, if such pixels were made NaN already (raster/blank.ts). @default null */
  blank?: number | null;
  /** Whether the raster is given away: its planes are overwritten and all but one dropped, which saves their memory. @default false */
  consume?: boolean;
}

/**
 * Measures a sub: its stars on the mean of the channels, background and noise in each channel, saturation, a trail. No range of
 * the samples is presumed. About 80 ns a pixel for one channel. The unit comes back with the saturation that was found.
 */
export function measureSub(
  raster: Raster,
  kernels: Kernels,
  { unit = null, noise = null, blank = null, consume = false }: SubOptions = {},
): { measures: SubMeasures; stars: ListedStar[]; unit: FrameUnit | null } {
  const { width, height, planes } = raster;
  const channels = planes.length;
  const cellPx = width * height > LARGE ? 128 : 64;
  const meshes = planes.map((plane) => measureBackground(plane, width, height, kernels, cellPx));
  const saturation = measureSaturation(raster, unit, kernels);
  const noises = noise ? null : planes.map((plane) => planeNoise(plane, width, height, kernels));
  const looksMosaic = channels === 1 && looksLikeMosaic(planes[0], width, height);
  // From here on only the mean of the channels is looked at.
  const grey = channels === 1 ? planes[0] : consume ? meanPlane(raster, planes[0]) : meanPlane(raster);
  if (consume) planes.length = 1;
  const background = channels === 1 ? meshes[0] : measureBackground(grey, width, height, kernels, cellPx);
  const blackShare = cutOffShare(grey);
  // The mean of several channels is nobody else's.
  const overwrite = consume || channels > 1;
  const found = { searchAgain: false, background, saturated: saturation.mask, overwrite };
  const stars = findStars(grey, width, height, kernels, found);
  const { fwhmPx, eccentricity, beta, elongationAngle, elongationAgreement } = starShape(stars);
  const [clearest, ...otherTrails] = findTrails(grey, width, height, stars, fwhmPx ?? 3, kernels);
  const measures: SubMeasures = {
    stars: stars.length,
    fwhmPx,
    eccentricity,
    elongationAngle,
    elongationAgreement,
    background: meshes.map((mesh) => median(mesh.level)),
    gradient: meshes.map(fitBackgroundPlane),
    noise: blackShare > 0 ? meshes.map(() => 0) : noise ? [...noise] : (noises ?? []).map(({ sigma }) => sigma),
    blackShare,
    blank,
    noiseCorrelation: noises ? noises.map(({ correlation }) => correlation) : meshes.map(() => null),
    saturatedShare: saturation.share,
    beta,
    trail: clearest ?? null,
    otherTrails,
    looksMosaic,
    double: findDoubleImage(stars),
  };
  return {
    measures,
    stars: stars.slice(0, STARS_KEPT).map(({ x, y, flux, snr, saturated }) => ({ x, y, flux, snr, saturated })),
    unit: saturation.unit,
  };
}

/** From this share of pixels on, the least value is a cut, and the spread of the others shows no noise. */
const CUT_SHARE = 0.03;

/** About so many pixels say whether 3 % of all have one value. */
const CUT_SAMPLES = 1 << 20;

/** Share of a plane's pixels that have its least value, where that is a cut; 0 below 3 %, and for a plane of one value. */
function cutOffShare(plane: Float32Array): number {
  let least = Infinity;
  let count = 0;
  let known = 0;
  let most = -Infinity;
  // An odd step, so that no place of a colour pattern is passed over.
  const step = 2 * Math.floor(plane.length / CUT_SAMPLES / 2) + 1;
  for (let i = 0; i < plane.length; i += step) {
    const v = plane[i];
    if (v !== v) continue;
    known++;
    if (v > most) most = v;
    if (v < least) {
      least = v;
      count = 1;
    } else if (v === least) count++;
  }
  return most > least && count > CUT_SHARE * known ? count / known : 0;
}

/** Noise of a plane; of a large one the median over nine samples of 256² px: known to 0.2 %. */
function planeNoise(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
): { sigma: number; correlation: number | null } {
  if (width * height <= LARGE) return pixelNoise(plane, width, height, kernels);
  const side = Math.min(256, width, height);
  const picture = rasterOf(width, height, [plane]);
  const samples = Array.from({ length: 9 }, (_, k) => {
    const x = Math.floor(((width - side) * (k % 3)) / 2);
    const y = Math.floor(((height - side) * Math.floor(k / 3)) / 2);
    const [part] = cropRaster(picture, { x, y, width: side, height: side }).planes;
    return pixelNoise(part, side, side, kernels);
  });
  const over = (values: (number | null)[]): number | null => {
    const known = values.filter((v): v is number => v !== null && v > 0);
    return known.length > 0 ? medianInPlace(Float64Array.from(known)) : null;
  };
  return {
    sigma: over(samples.map(({ sigma }) => sigma)) ?? 0,
    correlation: over(samples.map(({ correlation }) => correlation)),
  };
}

/** The sky's slope over a frame by its smooth background: the largest difference over the frame, mean of the channels. */
export interface SkyGradient {
  /** Highest minus lowest value of the plane over the frame, in samples of the raster. */
  span: number;
  /** Direction in which the sky gets brighter, radians from x towards y. */
  angle: number;
}

export function skyGradient(measures: Pick<SubMeasures, "gradient">, width: number, height: number): SkyGradient {
  const { gradient } = measures;
  const mean = (value: (plane: SubMeasures["gradient"][number]) => number) =>
    gradient.reduce((sum, plane) => sum + value(plane), 0) / gradient.length;
  const [dx, dy] = [mean((plane) => plane.dx), mean((plane) => plane.dy)];
  const span = Math.abs(dx) * (width - 1) + Math.abs(dy) * (height - 1);
  return { span, angle: Math.atan2(dy, dx) };
}

/** The plane with NaN replaced by the median of the rest (0 where there is none). */
export function withoutGaps(plane: Float32Array): Float32Array {
  if (!plane.some((v) => v !== v)) return plane;
  const level = median(plane);
  const fill = level === level ? level : 0;
  return plane.map((v) => (v === v ? v : fill));
}
