import type { FieldShape } from "../../facts";
import type { JobHandle } from "../../job";
import { partOfJob } from "../../job";
import type { MoffatShape } from "../../measure";
import { shapeAt } from "../../measure";
import type { Raster, Region } from "../../raster";
import {
  cropRaster,
  growRegion,
  intersectRegions,
  isEmptyRegion,
  rasterOf,
  relativeTo,
  wholeRegion,
} from "../../raster";
import type { Place } from "../operation";

/** Tiles pass into each other over so many px. */
const BLEND = 32;

/** The widest that the long axis gets anywhere, in px. */
export function widest(shape: FieldShape): number {
  const { field, fwhmMajor } = shape;
  if (!field) return fwhmMajor;
  const [a, , c] = field.most;
  const b = Math.max(Math.abs(field.least[1]), Math.abs(field.most[1]));
  return Math.max(fwhmMajor, Math.sqrt((a + c) / 2 + Math.hypot((a - c) / 2, b)));
}

/**
 * What `treat` makes of a region with PSFs that change over the picture: square by square of a grid that begins at the picture's first pixel, each with the PSFs of its middle and `halo` px of surroundings, passing into each other by raised cosines.
 * So a crop is as the same pixels of the whole. Where no PSF changes, all of it at once. Only what is `kept` of the region is treated.
 */
export async function withSpatiallyVaryingPsf(
  region: Raster,
  { x, y, kept = wholeRegion(region) }: Place,
  shapes: readonly FieldShape[],
  halo: number,
  job: JobHandle,
  treat: (part: Raster, kept: Region, shapes: readonly MoffatShape[], job: JobHandle) => Promise<Raster> | Raster,
): Promise<Raster> {
  const tilePx = Math.min(...shapes.map(({ field }) => field?.tilePx ?? Infinity));
  if (tilePx === Infinity) return treat(region, kept, shapes, job);
  const planes = region.planes.map((plane) => plane.slice());
  const each = (from: number, length: number) => {
    const first = Math.floor((from - BLEND / 2) / tilePx);
    const last = Math.floor((from + length - 1 + BLEND / 2) / tilePx);
    return Array.from({ length: last - first + 1 }, (_, k) => first + k);
  };
  const tiles = each(y + kept.y, kept.height)
    .flatMap((row) => each(x + kept.x, kept.width).map((column) => ({ row, column })))
    .map(({ row, column }) => {
      const tile = { x: column * tilePx - x, y: row * tilePx - y, width: tilePx, height: tilePx };
      const used = intersectRegions(growRegion(tile, BLEND / 2), kept);
      return { row, column, tile, used, area: intersectRegions(growRegion(used, halo), wholeRegion(region)) };
    })
    .filter(({ used }) => !isEmptyRegion(used));
  // The same parts for the same region: what is remembered of them is found again.
  const areas = tiles.map(({ area }) => area);
  const parts = job.kernels.memory.remember(region, JSON.stringify(areas), () =>
    areas.map((area) => cropRaster(region, area)),
  );
  const sums = planes.map(() => new Float32Array(kept.width * kept.height));
  for (const [k, { row, column, tile, used, area }] of tiles.entries()) {
    const own = shapes.map((shape) =>
      shape.field ? shapeAt(shape.field, shape.beta, (column + 0.5) * tilePx, (row + 0.5) * tilePx) : shape,
    );
    const inside = relativeTo(area, used);
    const part = partOfJob(job, k / tiles.length, (k + 1) / tiles.length);
    const made = cropRaster(await treat(parts[k], inside, own, part), inside);
    const across = Float64Array.from({ length: used.width }, (_, i) => weightOf(used.x + i - tile.x, tilePx));
    const down = Float64Array.from({ length: used.height }, (_, j) => weightOf(used.y + j - tile.y, tilePx));
    made.planes.forEach((plane, c) => {
      for (let j = 0; j < used.height; j++)
        for (let i = 0; i < used.width; i++)
          sums[c][(used.y + j - kept.y) * kept.width + used.x + i - kept.x] +=
            down[j] * across[i] * plane[j * used.width + i];
    });
  }
  planes.forEach((plane, c) => {
    for (let j = 0; j < kept.height; j++)
      plane.set(sums[c].subarray(j * kept.width, (j + 1) * kept.width), (kept.y + j) * region.width + kept.x);
  });
  return rasterOf(region.width, region.height, planes);
}

/** A tile's weight at so many px from its first: those of neighbours make 1 together. */
function weightOf(at: number, side: number): number {
  const rise = (from: number) =>
    0.5 - 0.5 * Math.cos(Math.PI * Math.min(1, Math.max(0, (from + 0.5 + BLEND / 2) / BLEND)));
  return rise(at) - rise(at - side);
}
