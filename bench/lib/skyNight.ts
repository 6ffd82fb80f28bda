import { createRandom } from "@/core/numeric/random";
import type { Raster } from "@/core/raster";
import { createNight, truthRaster } from "@/core/simulate";
import { kernels } from "./truth";

export const SIZE = { width: 448, height: 448 };
/** What the stars of these skies look like. */
export const SHAPE = { fwhmPx: 3, beta: 3.5 };
/** σ of a stack's darkest sky, share of full scale, and how its variance grows with light. */
const [SIGMA, GROWTH] = [4e-5, 2e-6];

/** A picture with noise of that many times a stack's. */
export function noisy(truth: Raster, times: number, seed: number): Raster {
  const random = createRandom(seed);
  const planes = truth.planes.map((plane) =>
    plane.map((v) => v + times * Math.sqrt(SIGMA ** 2 + GROWTH * Math.max(0, v)) * random.normal() * 0.5),
  );
  return { ...truth, planes };
}

/** A made-up sky, two halves of it and their mean, and the same under two other nights' noise. */
export function skyNight(seed: number) {
  const night = createNight({ subs: 1, seed, ...SIZE });
  const truth = truthRaster(night, SHAPE.fwhmPx, kernels);
  const halves = { a: noisy(truth, Math.SQRT2, seed + 1), b: noisy(truth, Math.SQRT2, seed + 2) };
  const planes = halves.a.planes.map((plane, c) => plane.map((v, i) => (v + halves.b.planes[c][i]) / 2));
  const more = [noisy(truth, 1, seed + 3), noisy(truth, 1, seed + 4)];
  return { night, truth, halves, whole: { ...truth, planes }, more };
}
