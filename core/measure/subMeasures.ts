import { z } from "zod";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { meanPlane, median, medianInPlace } from "../raster";
import { fitBackgroundPlane, measureBackground } from "./background";
import { whiteNoise } from "./noise";
import type { Star } from "./stars";
import { findStars } from "./stars";

/** What one sub is worth; levels are in units of full scale (1.0), one value a channel where there are several. */
export const subMeasures = z.object({
  stars: z.number().int(),
  /** Median FWHM of the fitted stars in px; null where none could be fitted. */
  fwhmPx: z.number().nullable(),
  /** Median of √(1 − (minor/major)²); null where none could be fitted. */
  eccentricity: z.number().nullable(),
  background: z.array(z.number()),
  /** The plane through the background: value(x, y) = level + dx · x + dy · y in pixel coordinates of the sub. */
  gradient: z.array(z.object({ level: z.number(), dx: z.number(), dy: z.number() })),
  noise: z.array(z.number()),
  /** Share of pixels at or above 0.95 of full scale. */
  saturatedShare: z.number(),
});
export type SubMeasures = z.infer<typeof subMeasures>;

/** A star as registration and photometry need it. */
export const listedStar = z.object({
  x: z.number(),
  y: z.number(),
  flux: z.number(),
  snr: z.number(),
  saturated: z.boolean(),
});
export type ListedStar = z.infer<typeof listedStar>;

/**
 * Medians over the fitted stars, those of SNR ≥ 25 if there are ten of them (faint fits look elongated by their noise); null
 * where none was fitted.
 */
export function starShape(stars: Star[]): { fwhmPx: number | null; eccentricity: number | null; beta: number | null } {
  const fitted = stars.filter((star) => star.fit !== null);
  const clear = fitted.filter((star) => star.snr >= 25);
  const fits = (clear.length >= 10 ? clear : fitted).flatMap((star) => (star.fit ? [star.fit] : []));
  if (fits.length === 0) return { fwhmPx: null, eccentricity: null, beta: null };
  const of = (value: (fit: (typeof fits)[number]) => number) => medianInPlace(Float64Array.from(fits, value));
  return {
    fwhmPx: of((fit) => Math.sqrt(fit.fwhmMajor * fit.fwhmMinor)),
    eccentricity: of((fit) => Math.sqrt(Math.max(0, 1 - (fit.fwhmMinor / fit.fwhmMajor) ** 2))),
    beta: of((fit) => fit.beta),
  };
}

/** Measures a sub: its stars on the mean of the channels, background and noise in each channel. */
export function measureSub(raster: Raster, kernels: Kernels): { measures: SubMeasures; stars: ListedStar[] } {
  const { width, height, planes } = raster;
  const stars = findStars(meanPlane(raster), width, height, kernels);
  const { fwhmPx, eccentricity } = starShape(stars);
  let saturatedPixels = 0;
  for (const plane of planes) for (let i = 0; i < plane.length; i++) if (plane[i] >= 0.95) saturatedPixels++;
  const meshes = planes.map((plane) => measureBackground(plane, width, height));
  const measures: SubMeasures = {
    stars: stars.length,
    fwhmPx,
    eccentricity,
    background: meshes.map((mesh) => median(mesh.level)),
    gradient: meshes.map(fitBackgroundPlane),
    noise: planes.map((plane) => whiteNoise(withoutGaps(plane), width, height, kernels)),
    saturatedShare: saturatedPixels / (width * height * planes.length),
  };
  return {
    measures,
    stars: stars.slice(0, 1000).map(({ x, y, flux, snr, saturated }) => ({ x, y, flux, snr, saturated })),
  };
}

/** The plane with NaN replaced by the median of the rest (0 where there is none). */
export function withoutGaps(plane: Float32Array): Float32Array {
  if (!plane.some((v) => v !== v)) return plane;
  const level = median(plane);
  const fill = level === level ? level : 0;
  return plane.map((v) => (v === v ? v : fill));
}
