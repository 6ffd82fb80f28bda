import type { CfaPattern } from "../formats";
import { cfaCell } from "../calibrate/cfa";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { rasterOf } from "../raster";
import type { Camera } from "./camera";

/** What a real sensor does to light: all that calibration has to take off again. Planes are row-major, one sample a pixel. */
export interface Sensor {
  width: number;
  height: number;
  /** Pattern of its colour filters; null for mono. */
  cfa: CfaPattern | null;
  /** Level of each pixel without light or time, in ADU. */
  biasAdu: Float32Array;
  /** Dark current in electrons per second at the reference temperature, hot pixels and amplifier glow included. */
  darkEPerS: Float32Array;
  referenceC: number;
  /** Relative response to light: vignetting, dust shadows, and each pixel's own; mean near 0.85. */
  response: Float32Array;
  hotPixels: number;
}

/** Dark current doubles for about every 6 °C (common practice). */
export const DOUBLING_C = 6;

export function darkFactor(temperatureC: number, referenceC: number): number {
  return 2 ** ((temperatureC - referenceC) / DOUBLING_C);
}

/** A sensor from a seed: 0.15 % hot pixels of 0.4 to 40 e⁻/s, glow from the lower right corner, 35 % vignetting, eight dust shadows. */
export function createSensor(width: number, height: number, cfa: CfaPattern | null, seed: number): Sensor {
  const random = createRandom(seed * 6151 + 17);
  const pixels = width * height;
  const biasAdu = new Float32Array(pixels);
  const darkEPerS = new Float32Array(pixels);
  const response = new Float32Array(pixels);
  const columns = Float32Array.from({ length: width }, () => 1.5 * random.normal());
  const rows = Float32Array.from({ length: height }, () => 0.8 * random.normal());
  const dust = Array.from({ length: 8 }, () => ({
    x: random.uniform() * width,
    y: random.uniform() * height,
    radius: (0.012 + 0.02 * random.uniform()) * width,
    depth: 0.06 + 0.14 * random.uniform(),
  }));
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      const u = (2 * x) / width - 1;
      const v = (2 * y) / width - height / width;
      biasAdu[i] = 400 + columns[x] + rows[y] + 0.01 * y;
      const corner = Math.hypot(width - x, height - y) / width;
      darkEPerS[i] = 0.04 * (1 + 0.1 * random.normal()) + 0.7 * Math.exp(-corner / 0.09);
      let light = (1 - 0.35 * (u * u + v * v) * 0.7) * (1 + 0.006 * random.normal());
      for (const speck of dust) {
        const r = Math.hypot(x - speck.x, y - speck.y) / speck.radius;
        // A ring, as the shadow of a speck in front of a mirror telescope has.
        if (r < 1.6) light *= 1 - speck.depth * Math.exp(-(((r - 0.75) / 0.35) ** 2));
      }
      response[i] = light;
    }
  const hotPixels = Math.round(pixels * 0.0015);
  for (let k = 0; k < hotPixels; k++) darkEPerS[Math.floor(random.uniform() * pixels)] += 0.4 * 100 ** random.uniform();
  return { width, height, cfa, biasAdu, darkEPerS, referenceC: -6, response, hotPixels };
}

/** The mosaic that falls on the sensor: each pixel's own colour of three planes; the green one for mono. */
export function lightOnSensor(sensor: Sensor, light: Raster): Float32Array {
  const { width, height, cfa, response } = sensor;
  const out = new Float32Array(width * height);
  const cell = cfa && cfaCell(cfa);
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      const channel = light.channels === 1 ? 0 : cell ? cell[(y & 1) * 2 + (x & 1)] : 1;
      out[i] = light.planes[channel][i] * response[i];
    }
  return out;
}

/**
 * One raw frame in units of full scale (65535 ADU = 1), rounded to whole ADU: photons and dark electrons with Poisson noise, read
 * noise, gain, bias. Light is already on the sensor (`lightOnSensor`).
 */
export function exposeRaw(
  sensor: Sensor,
  camera: Pick<Camera, "electronsPerAdu" | "readNoiseE">,
  onSensor: Float32Array | null,
  exposure: { exposureS: number; temperatureC: number; seed: number },
): Raster {
  const random = createRandom(exposure.seed);
  const factor = exposure.exposureS * darkFactor(exposure.temperatureC, sensor.referenceC);
  const out = new Float32Array(sensor.width * sensor.height);
  for (let i = 0; i < out.length; i++) {
    const electrons = (onSensor ? onSensor[i] : 0) + sensor.darkEPerS[i] * factor;
    const read = random.poisson(electrons) + camera.readNoiseE * random.normal();
    const adu = Math.round(read / camera.electronsPerAdu + sensor.biasAdu[i]);
    out[i] = Math.min(65535, Math.max(0, adu)) / 65535;
  }
  return rasterOf(sensor.width, sensor.height, [out]);
}
