import * as z from "zod";
import { cfaPattern, writeFits } from "../formats";
import type { FrameType } from "../formats";
import type { Kernels } from "../kernels";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { rasterOf } from "../raster";
import type { Camera, SubConditions } from "./camera";
import { addCosmicRay, addTrail, exposeNoiseless, planNight, SIMULATED_CAMERA } from "./camera";
import type { Sensor } from "./sensor";
import { createSensor, exposeRaw, lightOnSensor } from "./sensor";
import type { Sky } from "./sky";
import { createSky } from "./sky";

export const rawNightSettings = z.object({
  subs: z.number().int().min(1).max(2000),
  darks: z.number().int().min(0).max(500).default(12),
  flats: z.number().int().min(0).max(500).default(12),
  bias: z.number().int().min(0).max(500).default(16),
  darkflats: z.number().int().min(0).max(500).default(0),
  seed: z.number().int().min(0).max(1e6),
  width: z.number().int().min(64).max(16384),
  height: z.number().int().min(64).max(16384),
  /** Null for a mono camera. */
  cfa: cfaPattern.nullable(),
  /** Temperature of the darks, to try what a mismatch does. */
  darkTemperatureC: z.number().min(-60).max(60).default(-6),
});
export type RawNightSettings = z.infer<typeof rawNightSettings>;

/** A night as it leaves the camera: lights, darks, flats and bias frames of one sensor. */
export interface RawNight {
  settings: RawNightSettings;
  sky: Sky;
  camera: Camera;
  sensor: Sensor;
  subs: SubConditions[];
  files: RawFile[];
}

export interface RawFile {
  name: string;
  type: FrameType;
  index: number;
}

const LIGHT_C = -6;
const FLAT_S = 1.5;

export function createRawNight(given: z.input<typeof rawNightSettings>): RawNight {
  const settings = rawNightSettings.parse(given);
  const { subs, darks, flats, bias, darkflats, seed, width, height, cfa } = settings;
  const sky = createSky(width, height, seed);
  const counts: [FrameType, number][] = [
    ["bias", bias],
    ["dark", darks],
    ["darkflat", darkflats],
    ["flat", flats],
    ["light", subs],
  ];
  return {
    settings,
    sky,
    camera: SIMULATED_CAMERA,
    sensor: createSensor(width, height, cfa, seed),
    subs: planNight(sky, subs, seed),
    files: counts.flatMap(([type, count]) =>
      Array.from({ length: count }, (_, index) => ({
        name: `${type}-${String(index + 1).padStart(3, "0")}.fits`,
        type,
        index,
      })),
    ),
  };
}

/** Light that falls on the sensor in one frame, in electrons, without noise; null for closed shutter. */
export function lightOf(night: RawNight, { type, index }: RawFile, kernels: Kernels): Float32Array | null {
  const { sky, camera, sensor, subs, settings } = night;
  if (type === "light") {
    const light = exposeNoiseless(sky, camera, subs[index], kernels);
    const random = createRandom(settings.seed * 1009 + index * 7 + 1);
    const { trail } = subs[index];
    if (trail) addTrail(light, trail);
    for (let k = 0; k < subs[index].cosmicRays; k++) addCosmicRay(light, random);
    return lightOnSensor(sensor, light);
  }
  if (type !== "flat") return null;
  // An evenly lit panel that fades a little from flat to flat, with its own colour.
  const level = 24_000 * (1 - 0.01 * index);
  const plane = (share: number) => new Float32Array(sensor.width * sensor.height).fill(level * share);
  return lightOnSensor(sensor, rasterOf(sensor.width, sensor.height, [plane(0.8), plane(1), plane(0.7)]));
}

/** One frame of the night as a raster in units of full scale. */
export function rawFrame(night: RawNight, file: RawFile, kernels: Kernels): Raster {
  const { type, index } = file;
  const seed =
    night.settings.seed * 4001 + index * 11 + { bias: 1, dark: 2, darkflat: 3, flat: 4, light: 5 }[type] * 100_003;
  return exposeRaw(night.sensor, night.camera, lightOf(night, file, kernels), {
    exposureS: exposureOf(night, type),
    temperatureC: temperatureOf(night, type),
    seed,
  });
}

const exposureOf = (night: RawNight, type: FrameType): number =>
  ({ bias: 0, dark: night.camera.exposureS, darkflat: FLAT_S, flat: FLAT_S, light: night.camera.exposureS })[type];

const temperatureOf = (night: RawNight, type: FrameType): number =>
  type === "dark" ? night.settings.darkTemperatureC : LIGHT_C;

/** One frame as a 16-bit FITS file with the cards that a camera writes. */
export function rawFile(night: RawNight, file: RawFile, kernels: Kernels): Uint8Array {
  const { camera, sky, sensor } = night;
  const raster = rawFrame(night, file, kernels);
  const start = Date.UTC(2026, 0, 17, 21, 4) + file.index * (camera.exposureS + 9) * 1000;
  const titles = {
    bias: "Bias Frame",
    dark: "Dark Frame",
    darkflat: "Dark Flat",
    flat: "Flat Field",
    light: "Light Frame",
  };
  const cards: [string, string | number, string?][] = [
    ["IMAGETYP", titles[file.type]],
    ["OBJECT", file.type === "light" ? "Weir Nebula" : "none", "made-up field"],
    ["OBSERVAT", "Harrow Fen rooftop observatory"],
    ["INSTRUME", "Simulated camera"],
    ["DATE-OBS", new Date(start).toISOString().slice(0, 19), "start, UTC"],
    ["EXPTIME", exposureOf(night, file.type), "s"],
    ["GAIN", 84],
    ["OFFSET", 30],
    ["EGAIN", camera.electronsPerAdu, "electrons per ADU"],
    ["CCD-TEMP", temperatureOf(night, file.type), "deg C"],
    ["XPIXSZ", camera.pixelSizeUm, "um"],
    ["XBINNING", 1],
    ["FOCALLEN", camera.focalLengthMm, "mm"],
    ["FILTER", sensor.cfa ? "RGB" : "L"],
    ...(sensor.cfa
      ? ([
          ["BAYERPAT", sensor.cfa],
          ["XBAYROFF", 0],
          ["YBAYROFF", 0],
        ] as [string, string | number][])
      : []),
  ];
  return writeFits({ width: sky.width, height: sky.height, channels: 1, sample: "uint16", cards }, raster.planes);
}

/** What the simulator knows, as plain JSON. */
export function rawManifest(night: RawNight) {
  const { settings, camera, subs, sky, sensor, files } = night;
  return {
    ...settings,
    camera,
    hotPixels: sensor.hotPixels,
    frames: files.map((file) => ({
      file: file.name,
      type: file.type,
      ...(file.type === "light" ? subs[file.index] : {}),
    })),
    stars: sky.stars,
  };
}
