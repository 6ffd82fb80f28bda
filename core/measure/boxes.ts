import { z } from "zod";
import type { FrameSource } from "../raster";
import { intersectRegions, medianInPlace, wholeRegion } from "../raster";

/** A box of empty sky that a person placed, in px of the reference: its centre and side. */
export const skyBox = z.object({
  id: z.string(),
  x: z.number(),
  y: z.number(),
  side: z.number().int().min(4).max(2000),
});
export type SkyBox = z.infer<typeof skyBox>;

/** Median of a frame in each box, mean of the channels; NaN for a box without data. */
export async function boxLevels(frame: FrameSource, boxes: Pick<SkyBox, "x" | "y" | "side">[]): Promise<number[]> {
  return Promise.all(
    boxes.map(async ({ x, y, side }) => {
      const box = { x: Math.round(x - side / 2), y: Math.round(y - side / 2), width: side, height: side };
      const region = intersectRegions(box, wholeRegion(frame));
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

/** Highest minus lowest of the boxes' medians; null for fewer than two boxes with data. Source: common practice. */
export function boxGradient(levels: number[]): number | null {
  const known = levels.filter((v) => v === v);
  return known.length < 2 ? null : Math.max(...known) - Math.min(...known);
}
