import * as z from "zod";
import { writeFits } from "../formats";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { IDENTITY } from "../register/warp";
import type { Camera, SubConditions } from "./camera";
import { exposeNoiseless, exposeSub, planNight, SIMULATED_CAMERA } from "./camera";
import type { Sky } from "./sky";
import { createSky } from "./sky";

/** A simulated night: the field, the camera and what happened to each sub. */
export interface Night {
  seed: number;
  sky: Sky;
  camera: Camera;
  subs: SubConditions[];
}

export const nightSettings = z.object({
  subs: z.number().int().min(1).max(2000),
  seed: z.number().int().min(0).max(1e6),
  width: z.number().int().min(64).max(16384),
  height: z.number().int().min(64).max(16384),
});
export type NightSettings = z.infer<typeof nightSettings>;

export function createNight(settings: NightSettings): Night {
  const { subs, seed, width, height } = nightSettings.parse(settings);
  const sky = createSky(width, height, seed);
  return { seed, sky, camera: SIMULATED_CAMERA, subs: planNight(sky, subs, seed) };
}

/** Sub `index` as a calibrated 3-channel 16-bit FITS file with ordinary cards. */
export function subFile(night: Night, index: number, kernels: Kernels): Uint8Array {
  const { sky, camera, subs, seed } = night;
  const raster = exposeSub(sky, camera, subs[index], seed, kernels);
  const start = Date.UTC(2026, 0, 17, 21, 4) + index * (camera.exposureS + 9) * 1000;
  const layout = {
    width: sky.width,
    height: sky.height,
    channels: 3,
    sample: "uint16" as const,
    cards: [
      ["IMAGETYP", "light", "calibrated"],
      ["OBJECT", "Weir Nebula", "made-up field"],
      ["OBSERVAT", "Harrow Fen rooftop observatory"],
      ["INSTRUME", "Simulated camera"],
      ["DATE-OBS", new Date(start).toISOString().slice(0, 19), "start, UTC"],
      ["EXPTIME", camera.exposureS, "s"],
      ["EGAIN", camera.electronsPerAdu, "electrons per ADU"],
      ["CCD-TEMP", -6, "deg C"],
      ["XPIXSZ", camera.pixelSizeUm, "um"],
      ["XBINNING", 1],
      ["FOCALLEN", camera.focalLengthMm, "mm"],
      ["FILTER", "RGB"],
    ] as [string, string | number, string?][],
  };
  return writeFits(layout, raster.planes);
}

export function subFileName(index: number): string {
  return `weir-${String(index + 1).padStart(3, "0")}.fits`;
}

/** The field as a perfect camera sees it, undithered: no noise, no sky, clear air; full scale 1 as in the subs. */
export function truthRaster(night: Night, fwhmPx: number, kernels: Kernels): Raster {
  const conditions = {
    skyToSub: IDENTITY,
    fwhmPx,
    transmission: 1,
    skyE: [0, 0, 0] as [number, number, number],
    gradient: [0, 0] as [number, number],
  };
  const electrons = exposeNoiseless(night.sky, night.camera, conditions, kernels);
  const scale = 1 / (night.camera.electronsPerAdu * 65535);
  for (const plane of electrons.planes) for (let i = 0; i < plane.length; i++) plane[i] *= scale;
  return electrons;
}

/** The truth as a float FITS file, at the median seeing of the night unless told otherwise. */
export function truthFile(night: Night, kernels: Kernels, fwhmPx = medianSeeing(night)): Uint8Array {
  const raster = truthRaster(night, fwhmPx, kernels);
  const layout = {
    width: raster.width,
    height: raster.height,
    channels: 3,
    sample: "float32" as const,
    cards: [
      ["OBJECT", "Weir Nebula", "noise-free truth"],
      ["SEEING", fwhmPx, "FWHM in px"],
    ] as [string, string | number, string?][],
  };
  return writeFits(layout, raster.planes);
}

function medianSeeing(night: Night): number {
  const sorted = night.subs.map((sub) => sub.fwhmPx).sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
}

/** What the simulator knows, as plain JSON: settings, camera, stars and conditions of each sub. */
export function manifestOf(night: Night) {
  const { seed, sky, camera, subs } = night;
  return {
    seed,
    width: sky.width,
    height: sky.height,
    camera,
    frames: subs.map((sub) => ({ file: subFileName(sub.index), ...sub })),
    stars: sky.stars,
    pairs: sky.pairs,
  };
}
