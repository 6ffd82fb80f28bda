import { z } from "zod";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { meanPlane, robustSpread } from "../raster";
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
  /** Centroid of that light in px; null where there is none. */
  x: z.number().nullable(),
  y: z.number().nullable(),
});
export type VideoMeasures = z.infer<typeof videoMeasures>;

/**
 * Measures a frame of a video: detail at four scales inside the bright object and 4 px around it, brightness, and where it is.
 * The energy of the noise is taken off by the variance that the sky around the object shows at each scale plus photon noise
 * that grows with the light (told from the finest scale, where optics leave no detail).
 * A frame without an object has sharpness 0. Cost: four smoothings.
 * Source: energy of detail as focus measure, Pertuz, Puig & Garcia 2013, Pattern Recognition 46, 1415 (multi-scale wavelet family).
 */
export function measureVideoFrame(raster: Raster, kernels: Kernels): VideoMeasures {
  const { width, height } = raster;
  const plane = meanPlane(raster);
  const border = borderValues(plane, width, height);
  const { centre: sky, sigma: skySigma } = robustSpread(border);
  let peak = 0;
  const smooth1 = kernels.starletSmooth(plane, width, height, 0);
  const smooth2 = kernels.starletSmooth(smooth1, width, height, 1);
  for (let i = 0; i < smooth2.length; i++) if (smooth2[i] - sky > peak) peak = smooth2[i] - sky;
  const none: VideoMeasures = { sharpness: [0, 0, 0, 0], quality: 0, brightness: 0, x: null, y: null };
  if (!(peak > 4 * skySigma) || !(peak > 0)) return none;
  // The object: where the smoothed light is above a fifth of its peak.
  const limit = sky + 0.2 * peak;
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
  return { sharpness, quality: sharpness[1] + sharpness[2], brightness: light, x: sumX / light, y: sumY / light };
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
