import type { ChainInput, ReadyStep } from "../../chain";
import { disturbedFrame, runFilled } from "../../chain";
import type { JobHandle } from "../../job";
import { quietly } from "../../job";
import type { FrameSource, Raster, Region } from "../../raster";
import { difference, intersectRegions, meanPlane, relativeTo } from "../../raster";
import type { LaneBlur } from "./reconvolved";
import { reconvolved } from "./reconvolved";
import { areaOf } from "./place";

/*
 * A chain that takes blur away is off from the data by its ways alone: it stops on the way, it smooths, its blur is not quite that of the picture. How far, at each place, shows when it is given its own answer:
 * the lane as blurred as the stack, with noise like the stack's, is taken for data of which the truth is known, and what the chain misses of that it misses by itself. What is made up or lost in the lane is so in the answer too, and stays to be seen.
 * Source: derivation; the parametric bootstrap (Efron & Tibshirani 1993, An Introduction to the Bootstrap, ch. 6 and 10: bias by resampling from the fitted model).
 */

/** What is measured of stack and lane (views.ts). */
interface Lane {
  width: number;
  height: number;
  before: Float32Array;
  told: Float32Array;
  isLinear: boolean;
  blur: LaneBlur | null;
}

/** The light (mean of the channels) by which a lane's own answer differs from the stack; null for a lane that is not blurred again, and after a stretch. */
export function bootstrapLight({ blur, isLinear, before, told }: Lane): Float32Array | null {
  return blur && isLinear ? difference(told, before) : null;
}

/**
 * What a chain makes of its own answer over a place with its surroundings: of the picture with the noise that the halves show, and with `light` added to all its channels there. Throws without halves, and where `light` is not as large.
 */
export async function treatedBootstrap(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  light: Float32Array,
  job: JobHandle,
): Promise<Raster> {
  if (!halves) throw new RangeError("a stack without halves does not tell the noise of an answer");
  const area = areaOf(place, picture);
  if (light.length !== area.width * area.height) throw new RangeError("the light is not of that area");
  const noisy = disturbedFrame(picture, halves, 1);
  const answer: FrameSource = {
    ...noisy,
    read: async (region) => {
      const raster = await noisy.read(region);
      const common = intersectRegions(region, area);
      const [to, from] = [relativeTo(region, common), relativeTo(area, common)];
      for (const plane of raster.planes)
        for (let y = 0; y < common.height; y++)
          for (let x = 0; x < common.width; x++)
            plane[(to.y + y) * region.width + to.x + x] += light[(from.y + y) * area.width + from.x + x];
      return raster;
    },
  };
  return runFilled(answer, steps, area, fill, quietly(job));
}

/** By how much a lane that is given its own answer, `treated`, is off from it, blurred again: light of what it lacks, by place. */
export function bootstrapResidual(treated: Raster, lane: Lane, noise: Float32Array, job: JobHandle): Float32Array {
  const given = lane.told.map((v, i) => v + noise[i]);
  return difference(given, reconvolved(meanPlane(treated), given, lane, lane.blur, job));
}
