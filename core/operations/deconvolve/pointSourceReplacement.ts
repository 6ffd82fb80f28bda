import type { Facts, FieldShape } from "../../facts";
import type { JobHandle } from "../../job";
import { DRAWN } from "../../kernels";
import type { MoffatShape } from "../../measure";
import { moffatProfile, moffatPsf, moffatTable } from "../../measure";
import { slider } from "../../parameters";
import type { Raster, Region } from "../../raster";
import { cropPlane, growRegion, intersectRegions, pastePlane, rasterOf, wholeRegion } from "../../raster";
import { droppedStars } from "./blur";
import type { Restored } from "./lucy";
import { hastenedField, restored, shownBy, smoothnessField } from "./lucy";
import type { Sky } from "./starsFound";
import { leastLight, PSF_RADIUS, starsOf } from "./starsFound";

/** The facts by which stars are drawn anew. */
export type AnewNeeds = "noiseModel" | "psfShape" | "sky";

/** How stars are in each channel; null where that is not told. */
export function starShapes({ psfShape, noiseModel }: Facts<"noiseModel" | "psfShape">): FieldShape[] | null {
  const shapes = psfShape.channels.filter((shape) => shape !== null);
  return shapes.length === psfShape.channels.length && noiseModel.models.every(({ a }) => a > 0) ? shapes : null;
}

/** Why no star can be drawn anew; null where they can. */
export const untold = (facts: Facts<"noiseModel" | "psfShape">): string | null =>
  starShapes(facts) ? null : "Too few clear, lone stars here tell how stars look, so the picture stays as it is.";

/** Settings of what draws stars anew, beside its strength. */
export const anewFields = {
  iterations: slider({
    label: "Iterations",
    hint: "Steps for what is no star; more crisp its edges",
    min: 1,
    max: 60,
    step: 1,
    default: 8,
  }),
  hastened: hastenedField(),
  smoothness: smoothnessField(2),
  starSnr: slider({
    label: "Stars from",
    hint: "How clearly a star must stand out to be drawn anew as a point; lower takes fainter ones, and some grains of noise",
    unit: "σ",
    min: 3.5,
    max: 15,
    step: 0.1,
    default: 4.5,
  }),
  droppedStars: droppedStars(),
};

/** Until version 2 steps for the rest were plain, 20 of them where none were given. */
export const anewMigrations = {
  2: (older: Record<string, unknown>) => ({ iterations: 20, ...older, hastened: false }),
};

/** What is asked of drawing stars anew. */
export interface Anew {
  iterations: number;
  hastened: boolean;
  smoothness: number;
  starSnr: number;
}

/**
 * Stars are found as points, their places and heights solved together, taken off, and drawn anew in the shapes of `targets`, as much light as before; what remains is deconvolved by Richardson–Lucy with total
 * variation and shown by the same targets. So stars cannot ring, and nothing is shown sharper than the sampling carries. `shapes`: of the stars as they are, by channel; only what is `kept` is made sharp. Sources: Magain, Courbin & Sohy 1998, ApJ 494, 472
 * (target PSF); Dey et al. 2006, Microsc. Res. Tech. 69, 260.
 */
export async function pointSourceReplacement(
  region: Raster,
  kept: Region,
  params: Anew,
  facts: Facts<"noiseModel" | "sky">,
  shapes: readonly MoffatShape[],
  targets: readonly MoffatShape[],
  job: JobHandle,
): Promise<Raster> {
  const { width, height } = region;
  const { iterations, hastened: isHastened, smoothness, starSnr } = params;
  const sky = { region, kept, facts, shapes, starSnr };
  const { stars, rest, alone } = await apartOf(sky, job);
  const needed = intersectRegions(growRegion(kept, 2 * PSF_RADIUS), wholeRegion(region));
  const sharp = await job.kernels.memory.rememberAsync(
    region,
    keyOf(sky, [iterations, isHastened, smoothness]),
    async () => {
      const planes: Restored[] = [];
      for (const [c, plane] of rest.entries()) {
        await job.breathe();
        const { zero, a } = facts.noiseModel.models[c];
        const sigma = Math.sqrt(a);
        const psf = moffatPsf(shapes[c], PSF_RADIUS);
        const settings = {
          psf,
          iterations,
          isHastened,
          smoothness,
          zero,
          sigma,
          floor: 1e-3 * sigma,
          smoothings: 2,
          cutsBelow: true,
        };
        const part = cropPlane(plane, width, needed);
        planes.push(restored(part, needed.width, needed.height, settings, job));
        job.progress((c + 1) / rest.length);
      }
      return planes;
    },
  );
  const planes = rest.map((plane, c) => {
    const shown = shownBy(sharp[c], moffatPsf(targets[c], PSF_RADIUS), job);
    const out = plane.slice();
    pastePlane(out, width, shown, needed);
    return out;
  });
  // As much light as before: a narrower profile of the same flux is higher.
  const gains = shapes.map((shape, c) => heightGain(shape, targets[c]));
  const narrowed = stars.map((star) => ({ ...star, heights: star.heights.map((height, c) => height * gains[c]) }));
  const profiles = targets.map((of) => moffatTable(of));
  job.kernels.drawStars({ planes, width, height, profiles, least: leastLight(facts) }, narrowed, 1);
  for (const [c, plane] of planes.entries())
    for (let i = 0; i < plane.length; i++) plane[i] += alone[i] * (region.planes[c][i] - plane[i]);
  return rasterOf(width, height, planes);
}

/** What decides where stars are, and more. */
const keyOf = ({ kept, facts: { noiseModel, sky }, shapes, starSnr }: Sky, more: readonly unknown[] = []) =>
  JSON.stringify([kept, starSnr, shapes, noiseModel, sky, ...more]);

const apartOf = (of: Sky, job: JobHandle) =>
  job.kernels.memory.rememberAsync(of.region, keyOf(of), () => starsOf(of, job));

/** How far the surroundings of a star are left as they were, since it is not as the PSF says: 0 … 1, by place. */
export async function aloneOf(
  region: Raster,
  kept: Region,
  { starSnr }: Pick<Anew, "starSnr">,
  facts: Facts<"noiseModel" | "sky">,
  shapes: readonly MoffatShape[],
  job: JobHandle,
): Promise<Float32Array> {
  return (await apartOf({ region, kept, facts, shapes, starSnr }, job)).alone;
}

/** How much higher the same light stands in another profile: by their sums over the drawn disc. */
function heightGain(from: MoffatShape, to: MoffatShape): number {
  const sum = (shape: MoffatShape) => {
    const profile = moffatProfile(shape);
    let total = 0;
    for (let v = -DRAWN; v <= DRAWN; v++)
      for (let u = -DRAWN; u <= DRAWN; u++) if (u * u + v * v <= DRAWN * DRAWN) total += profile(u, v);
    return total;
  };
  return sum(from) / sum(to);
}
