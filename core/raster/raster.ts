import type { Region } from "./region";
import { intersectRegions } from "./region";

/**
 * A picture, or a piece of one, in memory: planar, row-major (`index = y * width + x`), linear.
 * 1.0 is the sensor's full scale for integer data; floating-point data keep their own scale.
 * NaN means "no data". A Raster carries no metadata.
 */
export interface Raster {
  width: number;
  height: number;
  channels: number;
  planes: Float32Array[];
}

/** A Raster of zeros. */
export function createRaster(width: number, height: number, channels: number): Raster {
  if (!Number.isInteger(width) || !Number.isInteger(height) || width < 0 || height < 0)
    throw new RangeError(`raster size must be whole numbers ≥ 0, received ${width}×${height}`);
  return { width, height, channels, planes: Array.from({ length: channels }, () => new Float32Array(width * height)) };
}

/** What makes a raster to be filled; its samples need not be 0. */
export type CreateRaster = (width: number, height: number, channels: number) => Raster;

/** Makes rasters that all lie in the same memory: each is good until the next one is made. Fresh memory costs as much as filling it. */
export function reusedRasters(): CreateRaster {
  let kept: Float32Array[] = [];
  return (width, height, channels) => {
    const pixels = width * height;
    if (kept.length !== channels || kept[0].length < pixels) kept = createRaster(width, height, channels).planes;
    return rasterOf(
      width,
      height,
      kept.map((plane) => plane.subarray(0, pixels)),
    );
  };
}

/** A copy that shares nothing with its source. */
export function cloneRaster(raster: Raster): Raster {
  return { ...raster, planes: raster.planes.map((plane) => plane.slice()) };
}

/** A Raster around planes that already exist. Throws RangeError where a plane has another size. */
export function rasterOf(width: number, height: number, planes: Float32Array[]): Raster {
  for (const plane of planes)
    if (plane.length !== width * height)
      throw new RangeError(`a plane must hold ${width * height} samples, received ${plane.length}`);
  return { width, height, channels: planes.length, planes };
}

/** Cuts `region` out of a Raster; the region must lie inside it. */
export function cropRaster(raster: Raster, region: Region): Raster {
  if (
    region.x < 0 ||
    region.y < 0 ||
    region.x + region.width > raster.width ||
    region.y + region.height > raster.height
  )
    throw new RangeError(`crop ${JSON.stringify(region)} must lie inside ${raster.width}×${raster.height}`);
  return rasterOf(
    region.width,
    region.height,
    raster.planes.map((plane) => cropPlane(plane, raster.width, region)),
  );
}

/** A copy of a region, which must lie inside, of a plane of so many columns. */
export function cropPlane(plane: Float32Array, width: number, region: Region): Float32Array {
  const out = new Float32Array(region.width * region.height);
  for (let y = 0; y < region.height; y++) {
    const from = (region.y + y) * width + region.x;
    out.set(plane.subarray(from, from + region.width), y * region.width);
  }
  return out;
}

/** Puts a part back into a plane of so many columns, in place: where cropPlane has it from. */
export function pastePlane(
  plane: Float32Array,
  width: number,
  part: Float32Array,
  { x, y, width: across, height }: Region,
): void {
  for (let v = 0; v < height; v++) plane.set(part.subarray(v * across, (v + 1) * across), (y + v) * width + x);
}

/** Copies `source` into `target` with its upper left pixel at (x, y); what falls outside is left out. */
export function pasteInto(target: Raster, source: Raster, x: number, y: number): Raster {
  const part = intersectRegions(
    { x, y, width: source.width, height: source.height },
    { x: 0, y: 0, width: target.width, height: target.height },
  );
  for (let c = 0; c < target.channels; c++)
    for (let row = 0; row < part.height; row++) {
      const from = (part.y - y + row) * source.width + (part.x - x);
      target.planes[c].set(source.planes[c].subarray(from, from + part.width), (part.y + row) * target.width + part.x);
    }
  return target;
}

/** Index of the mirror image of `i` in 0 … n − 1 without repeating the edge (… 2 1 0 1 2 …), for any integer i. */
export function mirrorIndex(i: number, n: number): number {
  if (n === 1) return 0;
  const period = 2 * (n - 1);
  const k = ((i % period) + period) % period;
  return k < n ? k : period - k;
}

/** The mean of all channels as one plane, into `into` where it is given (one of the raster's own may be); NaN where any channel is NaN. */
export function meanPlane(
  { planes, width, height }: Raster,
  into: Float32Array = new Float32Array(width * height),
): Float32Array {
  const [first, second, third] = planes;
  // Three are the rule, and one pass is three times as fast as a pass for each.
  if (planes.length === 3) for (let i = 0; i < into.length; i++) into[i] = (first[i] + second[i] + third[i]) / 3;
  else {
    if (into !== first) into.set(first);
    for (const plane of planes.slice(1)) for (let i = 0; i < into.length; i++) into[i] += plane[i];
    if (planes.length > 1) for (let i = 0; i < into.length; i++) into[i] /= planes.length;
  }
  return into;
}

/** Bytes held by the samples of a Raster. */
export function rasterBytes(raster: { width: number; height: number; channels: number }): number {
  return raster.width * raster.height * raster.channels * 4;
}
