import type { Raster } from "@/core/raster";
import type { CropResult } from "../viewer/useCrop";
import type { CellView } from "./geometry";

/** The second crop less the first where both lie in the same cell, on the first's pixels (nearest ones of the second); NaN beyond the second. Null where their pixels are not of one size. */
export function differenceOf(
  first: CropResult,
  seenFirst: CellView,
  second: CropResult,
  seenSecond: CellView,
): CropResult | null {
  if (first.reduce !== second.reduce || seenFirst.scale !== seenSecond.scale) return null;
  const { raster, region, reduce } = first;
  const other = second.raster;
  const [dx, dy] = [
    (region.x - seenFirst.left - (second.region.x - seenSecond.left)) / reduce,
    (region.y - seenFirst.top - (second.region.y - seenSecond.top)) / reduce,
  ].map(Math.round);
  const planes = raster.planes.map((plane, c) => {
    const from = other.planes[Math.min(c, other.channels - 1)];
    const out = new Float32Array(plane.length).fill(NaN);
    for (let y = 0; y < raster.height; y++) {
      const v = y + dy;
      if (v < 0 || v >= other.height) continue;
      for (let x = Math.max(0, -dx); x < Math.min(raster.width, other.width - dx); x++)
        out[y * raster.width + x] = from[v * other.width + x + dx] - plane[y * raster.width + x];
    }
    return out;
  });
  const made: Raster = { ...raster, planes };
  return { ...first, raster: made };
}
