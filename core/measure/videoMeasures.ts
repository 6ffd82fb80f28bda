import * as z from "zod";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { meanPlane, quantile, robustSpread, difference } from "../raster";
import { STARLET_NOISE } from "./noise";

/** What one frame of a planetary video is worth. Levels are in units of full scale. */
export const videoMeasures = z.object({
  /**
   * Energy of detail at starlet scales 1 to 4 (1, 2, 4, 8 px), less that of the noise, over the square of the disc's light: larger
   * is sharper. Never below 0.
   */
  sharpness: z.array(z.number()).length(4),
  /** One figure from them: the energy at scales 2 and 3, where seeing takes detail and noise is small. */
  quality: z.number(),
  /** Light of the disc above the sky. */
  brightness: z.number(),
  /** Centroid of that light in px; null where there is none, and where a surface fills the frame. */
  x: z.number().nullable(),
  y: z.number().nullable(),
});
export type VideoMeasures = z.infer<typeof videoMeasures>;

/** Lowest to highest of a frame of noise that was smoothed twice, in σ of the noise: about eight of its own σ of 0.12. */
const SMOOTHED_SPREAD = 1.2;
/** The border of a frame is sky where it lies below this share of the way from the dark to the bright parts, and is as even. */
const DARK_BORDER = 0.2;
const EVEN_BORDER = 0.1;
/** The object: where the smoothed light is above this share of its height. */
const OBJECT_SHARE = 0.2;
const SURFACE_SHARE = 0.1;

/**
 * Measures a frame of a video: detail at four scales inside the bright object and 4 px around it, brightness, and where it is.
 * A frame whose border is dark and even shows a disc before the sky; any other is filled by a surface (the Moon, the Sun), of which all that is
 * not in shadow counts, and which has no centroid. The energy of the noise is taken off: white noise as the finest scale shows it inside
 * the object, where optics leave no detail. A frame without an object has sharpness 0. Cost: four smoothings.
 * Source: energy of detail as focus measure, Pertuz, Puig & Garcia 2013, Pattern Recognition 46, 1415 (multi-scale wavelet family).
 */
export function measureVideoFrame(raster: Raster, kernels: Kernels): VideoMeasures {
  const { width, height } = raster;
  const plane = meanPlane(raster);
  const border = robustSpread(borderValues(plane, width, height));
  const smooth1 = kernels.starletSmooth(plane, width, height, 0);
  const smooth2 = kernels.starletSmooth(smooth1, width, height, 1);
  const none: VideoMeasures = { sharpness: [0, 0, 0, 0], quality: 0, brightness: 0, x: null, y: null };
  const dark = quantile(smooth2, 0.005);
  const bright = quantile(smooth2, 0.995);
  const range = bright - dark;
  const fine = robustSpread(difference(plane, smooth1)).sigma / STARLET_NOISE[0];
  const isDisc = border.centre - dark < DARK_BORDER * range && border.sigma < EVEN_BORDER * range + 2 * fine;
  let peak = bright;
  for (const v of smooth2) if (v > peak) peak = v;
  const sky = isDisc ? border.centre : dark;
  const least = isDisc ? 4 * border.sigma : SMOOTHED_SPREAD * fine;
  if (!(peak - sky > least) || !(peak > sky)) return none;
  const limit = sky + (isDisc ? OBJECT_SHARE : SURFACE_SHARE) * (peak - sky);
  let light = 0;
  let sumX = 0;
  let sumY = 0;
  let inside = 0;
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      if (!(smooth2[i] > limit)) continue;
      const v = plane[i] - sky;
      light += v;
      sumX += v * x;
      sumY += v * y;
      inside++;
    }
  if (!(light > 0)) return none;
  const smooth3 = kernels.starletSmooth(smooth2, width, height, 2);
  const smooth4 = kernels.starletSmooth(smooth3, width, height, 3);
  const levels = [plane, smooth1, smooth2, smooth3, smooth4];
  const energy = [0, 1, 2, 3].map((scale) => {
    const [finer, coarser] = [levels[scale], levels[scale + 1]];
    let sum = 0;
    for (let i = 0; i < finer.length; i++) if (smooth2[i] > limit) sum += (finer[i] - coarser[i]) ** 2;
    return sum / inside;
  });
  // White noise inside the object from the finest scale; at coarser scales it has the known shares of it.
  const noise = energy[0] / STARLET_NOISE[0] ** 2;
  const level = (light / inside) ** 2;
  const sharpness = energy.map(
    (value, scale) => Math.max(0, scale === 0 ? value : value - noise * STARLET_NOISE[scale] ** 2) / level,
  );
  const [x, y] = isDisc ? [sumX / light, sumY / light] : [null, null];
  return { sharpness, quality: sharpness[1] + sharpness[2], brightness: light, x, y };
}

/** Level of the sky of a video frame, by channel: the median of its outermost eighth, since the object fills the middle. */
export function skyOfVideoFrame({ planes, width, height }: Raster): number[] {
  return planes.map((plane) => robustSpread(borderValues(plane, width, height)).centre);
}

/** The outermost eighth of a frame, where the sky is. */
function borderValues(plane: Float32Array, width: number, height: number): number[] {
  const out: number[] = [];
  const margin = Math.max(1, Math.floor(Math.min(width, height) / 16));
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (x < margin || y < margin || x >= width - margin || y >= height - margin) {
        const v = plane[y * width + x];
        if (v === v) out.push(v);
      }
  return out;
}
