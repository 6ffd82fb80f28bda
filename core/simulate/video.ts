import * as z from "zod";
import { serFrame, serHeader, serTrailer } from "../formats";
import { cfaPattern } from "../formats";
import { cfaCell } from "../calibrate/cfa";
import type { Kernels } from "../kernels";
import { roundPsf } from "../measure/psf";
import { createRandom } from "../numeric/random";
import { smoothstep } from "../numeric/smoothstep";
import type { Raster } from "../raster";
import { createRaster, rasterOf } from "../raster";
import { createNoiseField } from "./noiseField";

export const videoSettings = z.object({
  frames: z.number().int().min(1).max(100_000),
  seed: z.number().int().min(0).max(1e6),
  width: z.number().int().min(64).max(4096),
  height: z.number().int().min(64).max(4096),
  /** Pattern of the camera's filters; null for mono. */
  cfa: cfaPattern.nullable().default(null),
});
export type VideoSettings = z.infer<typeof videoSettings>;

/** What the air did to one frame of the video. */
export interface FrameConditions {
  index: number;
  /** FWHM of the blur in px. */
  fwhmPx: number;
  /** Where the centre of the disc lies, in px. */
  x: number;
  y: number;
  /** Transparency, 1 for clear. */
  brightness: number;
}

/** A simulated video of the made-up planet Oru. */
export interface Video {
  settings: VideoSettings;
  /** Radius of the disc along its equator in px. */
  radiusPx: number;
  conditions: FrameConditions[];
}

const FRAME_MS = 20;
const READ_NOISE = 1.2;
const PEAK_E = 900;

/** Conditions of every frame: seeing that comes and goes within a second, a slow drift of the mount, haze. */
export function createVideo(given: z.input<typeof videoSettings>): Video {
  const settings = videoSettings.parse(given);
  const { frames, seed, width, height } = settings;
  const random = createRandom(seed * 3571 + 5);
  let seeing = 0;
  let driftX = 0;
  let driftY = 0;
  let haze = 0;
  const conditions = Array.from({ length: frames }, (_, index) => {
    seeing = 0.82 * seeing + 0.3 * random.normal();
    driftX = 0.9 * driftX + 0.8 * random.normal();
    driftY = 0.9 * driftY + 0.8 * random.normal();
    haze = 0.97 * haze + 0.008 * random.normal();
    return {
      index,
      fwhmPx: Math.min(9, Math.max(1.6, 3.4 * Math.exp(0.62 * seeing))),
      x: width / 2 - 6 + 12 * (index / Math.max(1, frames - 1)) + driftX,
      y: height / 2 + driftY,
      brightness: Math.min(1, Math.max(0.6, 0.95 + haze)),
    };
  });
  return { settings, radiusPx: 0.3 * Math.min(width, height), conditions };
}

/** How Oru is drawn: its axis leans to the side, and its dark pole towards us. */
const [FLATTENING, LEAN, POLE] = [0.01, 0.42, [0, 0.91, 0.41]];
/** Bright patches with rays: where, in the world's own axes, how wide in radians, and how many rays. */
const PATCHES = [
  { at: [-0.42, -0.28, 0.86], size: 0.08, rays: 9 },
  { at: [0.55, 0.16, 0.82], size: 0.055, rays: 7 },
] as const;
/** Haze that is seen beyond the limb: how bright, over the middle of the disc, and how thin, in radii. */
const HAZE = { light: 0.1, thin: 0.02 };

/**
 * Oru as a perfect telescope shows it, in electrons at the centre of the disc's brightness: a nearly round world of pale leaning zones
 * with a dark pole, two bright patches with rays, a thin haze, and limb darkening (intensity ∝ μ^0.6; Minnaert 1941), three channels.
 */
export function oruRaster(video: Video, centreX: number, centreY: number): Raster {
  const { settings, radiusPx } = video;
  const { width, height, seed } = settings;
  const raster = createRaster(width, height, 3);
  const texture = createNoiseField(seed * 31 + 7);
  const [cos, sin] = [Math.cos(LEAN), Math.sin(LEAN)];
  const polar = radiusPx * (1 - FLATTENING);
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      const [u, v] = [(x - centreX) / radiusPx, (y - centreY) / polar];
      const r = Math.hypot(u, v);
      if (r > 1 + 4 * HAZE.thin) continue;
      const haze = PEAK_E * HAZE.light * Math.exp(-(((r - 1) / HAZE.thin) ** 2));
      [0.7, 0.85, 1].forEach((share, c) => (raster.planes[c][i] = share * haze));
      let cover = 0;
      for (let k = 0; k < 4; k++) {
        const [du, dv] = [(k & 1 ? 0.25 : -0.25) / radiusPx, (k & 2 ? 0.25 : -0.25) / polar];
        if ((u + du) ** 2 + (v + dv) ** 2 < 1) cover += 0.25;
      }
      if (cover === 0) continue;
      const mu = Math.sqrt(Math.max(0.02, 1 - u * u - v * v));
      const shades = surfaceOf(u * cos - v * sin, u * sin + v * cos, mu, texture);
      const light = cover * mu ** 0.6 * PEAK_E;
      shades.forEach((shade, c) => (raster.planes[c][i] += light * Math.max(0.05, shade)));
    }
  return raster;
}

/** How bright the ground is at a place of the sphere, by channel; `across` and `along` the axis, and towards us. */
function surfaceOf(
  across: number,
  along: number,
  towards: number,
  texture: (x: number, y: number) => number,
): number[] {
  const longitude = Math.atan2(across, towards);
  const swirl = 0.08 * texture(longitude * 2.2 + 10, along * 4 + 10);
  const zones = 0.07 * Math.sin((along + swirl) * 9 + 0.6) + 0.04 * Math.sin((along - swirl) * 17);
  const grain = 0.05 * texture(longitude * 26 + 3, along * 48 + 5) + 0.06 * texture(longitude * 11 + 7, along * 13 + 2);
  const ragged = 0.12 * texture(across * 6 + 21, along * 6 + 4);
  const fromPole = angleTo(POLE, across, along, towards) + ragged;
  const pole = 0.3 * (1 - smoothstep(fromPole, 0.5, 0.66));
  let rayed = 0;
  for (const { at, size, rays } of PATCHES) {
    const away = angleTo(at, across, along, towards);
    const bearing = Math.atan2(along - at[1], across - at[0]);
    const spokes = Math.cos((rays * bearing) / 2 + rays) ** 8 * Math.exp(-away / (4 * size));
    rayed += 0.3 * Math.exp(-((away / size) ** 2)) + 0.16 * spokes;
  }
  const shade = zones + grain + rayed;
  return [0.72 + 0.9 * shade, 0.7 + shade, 0.66 + 1.1 * shade].map((light) => light - pole);
}

/** The angle in radians between two directions from the centre; the first is normed here. */
function angleTo([a, b, c]: readonly number[], x: number, y: number, z: number): number {
  const along = (a * x + b * y + c * z) / Math.hypot(a, b, c) / Math.hypot(x, y, z);
  return Math.acos(Math.max(-1, Math.min(1, along)));
}

/** One frame as a raster in units of full scale: 16 bits, one plane (green for mono, a mosaic with filters). */
export function videoFrame(video: Video, index: number, kernels: Kernels): Raster {
  const { settings, conditions } = video;
  const { width, height, cfa, seed } = settings;
  const { x, y, fwhmPx, brightness } = conditions[index];
  const sharp = oruRaster(video, x, y);
  const psf = roundPsf(fwhmPx, 3.5, 15);
  const cell = cfa && cfaCell(cfa);
  const needed = cell ? [0, 1, 2] : [1];
  const blurred = new Map(needed.map((c) => [c, kernels.convolve(sharp.planes[c], width, height, psf)]));
  const random = createRandom(seed * 1543 + index * 13 + 2);
  const out = new Float32Array(width * height);
  for (let j = 0, i = 0; j < height; j++)
    for (let k = 0; k < width; k++, i++) {
      const plane = blurred.get(cell ? cell[(j & 1) * 2 + (k & 1)] : 1) as Float32Array;
      const electrons = random.poisson(plane[i] * brightness) + READ_NOISE * random.normal();
      out[i] = Math.min(65535, Math.max(0, Math.round(electrons * 40 + 600))) / 65535;
    }
  return rasterOf(width, height, [out]);
}

/** The parts of a SER file in order, frame by frame, so that a long video is never in memory. */
export function* videoFile(video: Video, kernels: Kernels): Generator<Uint8Array> {
  const { settings } = video;
  const start = Date.UTC(2026, 2, 3, 22, 40);
  const layout = {
    width: settings.width,
    height: settings.height,
    channels: 1 as const,
    cfa: settings.cfa,
    depth: 16 as const,
    instrument: "Simulated planetary camera",
    telescope: "Harrow Fen rooftop observatory",
    times: video.conditions.map(({ index }) => start + index * FRAME_MS),
  };
  yield serHeader(layout);
  for (let index = 0; index < settings.frames; index++) yield serFrame(videoFrame(video, index, kernels), 16);
  yield serTrailer(layout);
}
