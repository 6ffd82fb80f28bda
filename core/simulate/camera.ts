import type { Kernels } from "../kernels";
import { moffatAlpha, roundPsf } from "../measure/psf";
import type { Random } from "../numeric/random";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { createRaster } from "../raster";
import { resample } from "../register/resample";
import type { LinearWarp } from "../register/warp";
import { mapPoint, compose, rotationAbout, shiftBy } from "../register/warp";
import type { Sky } from "./sky";

/** Fixed properties of the simulated camera and telescope. */
export interface Camera {
  electronsPerAdu: number;
  readNoiseE: number;
  pedestalAdu: number;
  exposureS: number;
  pixelSizeUm: number;
  focalLengthMm: number;
  /** Moffat β of the seeing. */
  beta: number;
}

export const SIMULATED_CAMERA: Camera = {
  electronsPerAdu: 0.8,
  readNoiseE: 3.2,
  pedestalAdu: 400,
  exposureS: 120,
  pixelSizeUm: 4.2,
  focalLengthMm: 540,
  beta: 3.6,
};

/** What the night did to one sub; known to the simulator, to be found by the measurements. */
export interface SubConditions {
  index: number;
  /** From sky pixels to the pixels of this sub. */
  skyToSub: LinearWarp;
  fwhmPx: number;
  transmission: number;
  /** Sky level in electrons at the middle of the frame, by channel. */
  skyE: [number, number, number];
  /** Change of the sky level across the frame, as a fraction, along x and y. */
  gradient: [number, number];
  cosmicRays: number;
  trail: { x0: number; y0: number; x1: number; y1: number; peakE: number } | null;
}

/** Conditions of `count` subs: drifting seeing and sky, dithers, slight rotation, a meridian flip after 60 %. */
export function planNight(sky: Sky, count: number, seed: number): SubConditions[] {
  const random = createRandom(seed * 104729 + 3);
  const defocused = count >= 6 ? Math.floor(count * 0.45) : -1;
  const trailed = count >= 4 ? Math.floor(count * 0.3) : -1;
  let drift = 0;
  return Array.from({ length: count }, (_, index) => {
    drift = 0.8 * drift + 0.12 * random.normal();
    const flipped = index >= Math.ceil(count * 0.6) ? Math.PI : 0;
    const move = (): number => (random.uniform() - 0.5) * 18;
    const dither = rotationAbout(
      flipped + ((random.normal() * 0.18 + 0.01 * index) * Math.PI) / 180,
      (sky.width - 1) / 2,
      (sky.height - 1) / 2,
      move(),
      move(),
    );
    const cloud = random.uniform() < 0.12 ? 0.16 + 0.14 * random.uniform() : 0;
    const level = 1 + 0.25 * (index / Math.max(1, count - 1)) + 0.02 * random.normal();
    const fwhm = 2.95 * Math.exp(drift) + 0.12 * Math.abs(random.normal());
    const slant = 0.1 + 0.03 * random.normal();
    const tilt = -0.06 + 0.03 * random.normal();
    const offset = (random.uniform() - 0.5) * sky.height * 0.5;
    return {
      index,
      skyToSub: dither,
      fwhmPx: index === defocused ? 6.2 : Math.max(2.4, Math.min(3.9, fwhm)),
      transmission: Math.min(1, 0.985 - cloud + 0.01 * random.normal()),
      skyE: [250 * level, 265 * level, 240 * level],
      gradient: [slant, tilt],
      cosmicRays: 4 + Math.round((sky.width * sky.height * 14) / 1e6),
      trail:
        index === trailed
          ? { x0: -40, y0: sky.height * 0.2 + offset, x1: sky.width + 40, y1: sky.height * 0.75 + offset, peakE: 420 }
          : null,
    };
  });
}

/**
 * The light that falls on each pixel of a sub, in electrons, without noise: stars and glow through seeing and
 * transmission, and the sky. Stars are Moffat profiles averaged over 2 × 2 points of a pixel, cut off at 0.02 e⁻.
 */
export function exposeNoiseless(
  sky: Sky,
  camera: Camera,
  conditions: Pick<SubConditions, "skyToSub" | "fwhmPx" | "transmission" | "skyE" | "gradient">,
  kernels: Kernels,
): Raster {
  const { width, height, glow, margin } = sky;
  const psf = roundPsf(conditions.fwhmPx, camera.beta, 18);
  const blurred = {
    ...glow,
    planes: glow.planes.map((plane) => kernels.convolve(plane, glow.width, glow.height, psf)),
  };
  const glowToSub = compose(conditions.skyToSub, shiftBy(-margin, -margin));
  const out = resample(
    blurred,
    { x: 0, y: 0 },
    glowToSub,
    { x: 0, y: 0, width, height },
    { kernel: "bicubic", kernels },
  );
  for (let c = 0; c < 3; c++) {
    const plane = out.planes[c];
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const slope = 1 + conditions.gradient[0] * (x / width - 0.5) + conditions.gradient[1] * (y / height - 0.5);
        const i = y * width + x;
        plane[i] = (plane[i] || 0) * conditions.transmission + conditions.skyE[c] * slope;
      }
  }
  const alpha = moffatAlpha(conditions.fwhmPx, camera.beta);
  const peakPerFlux = (camera.beta - 1) / (Math.PI * alpha * alpha);
  for (const star of sky.stars) {
    const [x, y] = mapPoint(conditions.skyToSub, star.x, star.y);
    const flux = star.flux.map((value) => value * conditions.transmission);
    const peak = Math.max(...flux) * peakPerFlux;
    const reach = Math.min(150, Math.ceil(alpha * Math.sqrt(Math.max(1, (peak / 0.02) ** (1 / camera.beta)))));
    const x0 = Math.max(0, Math.ceil(x - reach));
    const x1 = Math.min(width - 1, Math.floor(x + reach));
    for (let py = Math.max(0, Math.ceil(y - reach)); py <= Math.min(height - 1, Math.floor(y + reach)); py++)
      for (let px = x0; px <= x1; px++) {
        let share = 0;
        for (let k = 0; k < 4; k++) {
          const u = (px - x + (k & 1 ? 0.25 : -0.25)) / alpha;
          const v = (py - y + (k & 2 ? 0.25 : -0.25)) / alpha;
          share += (1 + u * u + v * v) ** -camera.beta;
        }
        share *= peakPerFlux / 4;
        const i = py * width + px;
        for (let c = 0; c < 3; c++) out.planes[c][i] += flux[c] * share;
      }
  }
  return out;
}

/**
 * One calibrated sub in units of full scale (65535 ADU = 1): photon noise, cosmic-ray hits, the trail, read noise, gain,
 * pedestal, rounding to whole ADU, saturation. The same seed and index give the same frame.
 */
export function exposeSub(sky: Sky, camera: Camera, conditions: SubConditions, seed: number, kernels: Kernels): Raster {
  const electrons = exposeNoiseless(sky, camera, conditions, kernels);
  const random = createRandom(seed * 1009 + conditions.index * 7 + 1);
  if (conditions.trail) addTrail(electrons, conditions.trail);
  for (const plane of electrons.planes)
    for (let i = 0; i < plane.length; i++) plane[i] = random.poisson(plane[i]) + camera.readNoiseE * random.normal();
  for (let k = 0; k < conditions.cosmicRays; k++) addCosmicRay(electrons, random);
  const out = createRaster(sky.width, sky.height, 3);
  electrons.planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) {
      const adu = Math.round(plane[i] / camera.electronsPerAdu + camera.pedestalAdu);
      out.planes[c][i] = Math.min(65535, Math.max(0, adu)) / 65535;
    }
  });
  return out;
}

export function addTrail(electrons: Raster, trail: NonNullable<SubConditions["trail"]>): void {
  const length = Math.hypot(trail.x1 - trail.x0, trail.y1 - trail.y0);
  const nx = -(trail.y1 - trail.y0) / length;
  const ny = (trail.x1 - trail.x0) / length;
  for (let y = 0; y < electrons.height; y++)
    for (let x = 0; x < electrons.width; x++) {
      const distance = (x - trail.x0) * nx + (y - trail.y0) * ny;
      if (Math.abs(distance) > 8) continue;
      const light = trail.peakE * Math.exp(-(distance * distance) / (2 * 1.35 ** 2));
      for (const plane of electrons.planes) plane[y * electrons.width + x] += light;
    }
}

/** A short track of 1 to 5 px with 600 to 9000 electrons in one channel. */
export function addCosmicRay(electrons: Raster, random: Random): void {
  const plane = electrons.planes[Math.floor(random.uniform() * electrons.channels)];
  const x = random.uniform() * electrons.width;
  const y = random.uniform() * electrons.height;
  const angle = random.uniform() * 2 * Math.PI;
  const length = 1 + Math.floor(random.uniform() * 5);
  const charge = 600 + 8400 * random.uniform() ** 2;
  for (let step = 0; step < length; step++) {
    const px = Math.floor(x + step * Math.cos(angle));
    const py = Math.floor(y + step * Math.sin(angle));
    if (px >= 0 && py >= 0 && px < electrons.width && py < electrons.height)
      plane[py * electrons.width + px] += charge / length;
  }
}
