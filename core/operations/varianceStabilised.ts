import type { Facts, NoiseModelFact } from "../facts";
import { componentsOf, fromComponents, stabilisedRaster, unstabilised } from "../facts";
import type { JobHandle } from "../job";
import { drawPoints, findPoints } from "../measure";
import type { ValuesOf } from "../parameters";
import { patchesField, slider, toggle } from "../parameters";
import type { Raster, Region } from "../raster";
import { cloneRaster, cropPlane, pasteInto, relativeTo, wholeRegion } from "../raster";
import type { Place } from "./operation";

/** What operations that set stars aside have, in the same words. */
export const pointFields = {
  keepPoints: toggle({
    label: "Keep points",
    hint: "Stars, down to the faint ones, are set aside before and put back as they were after",
    default: true,
  }),
  pointSnr: {
    ...slider({
      label: "Points from",
      hint: "How clearly a point must stand above the noise to be kept; lower keeps fainter stars, and some grains of noise",
      unit: "σ",
      min: 3,
      max: 10,
      step: 0.1,
      default: 4,
    }),
    when: { name: "keepPoints", is: "true" },
  },
};

/** Where such a step takes the noise from. */
export const noiseField = {
  skyPatches: patchesField({
    label: "Noise from",
    hint: "Where the step takes the noise from: the halves, or what varies in patches of sky",
  }),
};

/** A component of the picture (core/facts/components.ts) whose noise is even: σ 1 everywhere, its neighbours alike by `covariance` (grain.ts). */
export interface StabilisedPlane {
  plane: Float32Array;
  width: number;
  height: number;
  /** Where its first pixel lies in the picture. */
  x: number;
  y: number;
  /** What of the result is used, counted from there: the rest may be anything. */
  kept: Region;
  /** Which component it is. */
  index: number;
  covariance: readonly number[];
}

/** Where the pixels of an even plane lie that are kept. */
export function keptPixels({ kept, width }: Pick<StabilisedPlane, "kept" | "width">): Int32Array {
  const out = new Int32Array(kept.width * kept.height);
  for (let y = 0, n = 0; y < kept.height; y++)
    for (let x = 0, i = (kept.y + y) * width + kept.x; x < kept.width; x++) out[n++] = i++;
  return out;
}

/** A part of an even plane, of which so much is used; both counted from the plane's first pixel. */
export function partOf(even: StabilisedPlane, part: Region, kept: Region): StabilisedPlane {
  const { plane, width, x, y } = even;
  const { width: w, height: h } = part;
  const cut = w === width && h === even.height ? plane : cropPlane(plane, width, part);
  return { ...even, plane: cut, width: w, height: h, x: x + part.x, y: y + part.y, kept: relativeTo(part, kept) };
}

/**
 * A region made even and taken apart: noise has σ 1 everywhere (facts/noiseModel.ts), channels become brightness and two differences, points are set aside (matched filter, weight rising over
 * the threshold: measure/matchedFilter.ts); `treat` gives what becomes of the kept pixels of each plane; then these go back the way they came. Channels without noise stay in their own units, and what is not kept as it was.
 */
export async function throughStabilised(
  region: Raster,
  points: ValuesOf<typeof pointFields>,
  { noiseModel, psf }: Facts<"noiseModel" | "psf">,
  job: JobHandle,
  { x, y, kept = wholeRegion(region) }: Place,
  treat: (even: StabilisedPlane) => Float32Array,
): Promise<Raster> {
  const { width, height } = region;
  const components = componentsOf(stabilisedRaster(region, noiseModel, x, y));
  const aside = pointsOf(components, region, points, noiseModel, psf, job);
  if (aside) drawPoints(components, width, height, aside.found, aside.shape, -1);
  const treated: Float32Array[] = [];
  for (const [index, plane] of components.entries()) {
    await job.breathe();
    treated.push(treat({ plane, width, height, x, y, kept, index, covariance: noiseModel.covariance[index] }));
    job.progress((index + 1) / components.length);
  }
  const back = aside?.found.map((point) => ({ ...point, x: point.x - kept.x, y: point.y - kept.y })) ?? [];
  if (aside) drawPoints(treated, kept.width, kept.height, back, aside.shape, 1);
  const clean = unstabilised(fromComponents(treated, kept.width, kept.height), noiseModel, x + kept.x, y + kept.y);
  const out = cloneRaster(region);
  pasteInto(out, clean, kept.x, kept.y);
  return out;
}

function pointsOf(
  components: Float32Array[],
  { width, height }: Raster,
  { keepPoints, pointSnr }: ValuesOf<typeof pointFields>,
  { covariance }: NoiseModelFact,
  { fwhmPx, beta }: Facts<"psf">["psf"],
  job: JobHandle,
) {
  if (!keepPoints || fwhmPx === null || beta === null) return null;
  const shape = { fwhmPx, beta };
  return { shape, found: findPoints(components, width, height, shape, covariance[0], pointSnr, job.kernels) };
}
