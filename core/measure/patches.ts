import * as z from "zod";
import type { FrameSource, Region } from "../raster";
import { intersectRegions, medianInPlace, wholeRegion } from "../raster";

/** A patch of empty sky that a person placed, in px of the reference: its centre and side. */
export const skyPatch = z.object({
  id: z.string(),
  x: z.number(),
  y: z.number(),
  side: z.number().int().min(4).max(2000),
});
export type SkyPatch = z.infer<typeof skyPatch>;

/** The pixels of a patch; they may reach beyond the picture. */
export const patchRegion = ({ x, y, side }: Pick<SkyPatch, "x" | "y" | "side">): Region => ({
  x: Math.round(x - side / 2),
  y: Math.round(y - side / 2),
  width: side,
  height: side,
});

/** Median of a frame in each patch, mean of the channels; NaN for a patch without data. */
export async function patchLevels(
  frame: FrameSource,
  patches: Pick<SkyPatch, "x" | "y" | "side">[],
): Promise<number[]> {
  return Promise.all(
    patches.map(async (patch) => {
      const region = intersectRegions(patchRegion(patch), wholeRegion(frame));
      if (region.width === 0 || region.height === 0) return NaN;
      const { planes } = await frame.read(region);
      const medians = planes.map((plane) => {
        const known = plane.filter((v) => v === v);
        return known.length > 0 ? medianInPlace(known) : NaN;
      });
      return medians.reduce((sum, value) => sum + value, 0) / medians.length;
    }),
  );
}

/** Highest minus lowest of the patches' medians; null for fewer than two patches with data. Source: common practice. */
export function patchDifference(levels: number[]): number | null {
  const known = levels.filter((v) => v === v);
  return known.length < 2 ? null : Math.max(...known) - Math.min(...known);
}
