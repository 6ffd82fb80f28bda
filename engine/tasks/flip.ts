import type { FrameSource, Raster, Region } from "@/core/raster";
import { createRaster, intersectRegions, wholeRegion, reduceInto } from "@/core/raster";
import { compose, enlargedBy, inverse } from "@/core/register";
import type { SubRelation } from "@/core/stack";
import { registeredFrame } from "@/core/stack";
import type { FrameRef } from "../frames";
import type { Task } from "./task";

export interface FlipPayload {
  frame: FrameRef;
  /** To lay the frame over the reference and give it its light and sky; null shows it as it is. */
  relation: SubRelation | null;
  /** Size of the reference's frame (or of the frame itself without a relation). */
  size: { width: number; height: number };
  /** In px of that frame. */
  region: Region;
  /** Side of the square of pixels that becomes one. */
  reduce: number;
}

/** A frame to look at while flipping through: registered and normalised, reduced before it is resampled. */
export const flip: Task<FlipPayload, Raster> = {
  owned: async ({ frame, relation, size, region, reduce }, context) => {
    const quick = superPixels(frame, reduce);
    const opened = await context.frames.open(quick ?? frame);
    const shrink = quick ? 2 : 1;
    const whole = quick ? { width: Math.floor(opened.width * 2), height: Math.floor(opened.height * 2) } : opened;
    const small = reduce / shrink > 1 ? reducedFrame(opened, reduce / shrink) : opened;
    const area = {
      x: Math.floor(region.x / reduce),
      y: Math.floor(region.y / reduce),
      width: Math.ceil(region.width / reduce),
      height: Math.ceil(region.height / reduce),
    };
    const most = relation ? size : whole;
    const smallSize = { width: Math.ceil(most.width / reduce), height: Math.ceil(most.height / reduce) };
    const shown = relation
      ? registeredFrame(small, scaledRelation(relation, reduce), smallSize, context.job.kernels)
      : small;
    context.job.check();
    return shown.read(intersectRegions(area, wholeRegion(shown)));
  },
};

/** A mosaic that will be reduced by an even factor is shown through its 2 × 2 cells, which is quicker and as true. */
function superPixels(frame: FrameRef, reduce: number): FrameRef | null {
  const { calibration } = frame;
  if (!calibration || calibration.pattern === null || reduce % 2 !== 0) return null;
  const { settings } = calibration;
  if (settings.demosaic === "none" || settings.demosaic === "superpixel" || settings.bin !== 1) return null;
  return { ...frame, calibration: { ...calibration, settings: { ...settings, demosaic: "superpixel" } } };
}

/** A relation between frames that are both reduced by r: full = r · small + (r − 1) / 2 along each axis. */
export function scaledRelation(relation: SubRelation, r: number): SubRelation {
  const h = (r - 1) / 2;
  const grown = enlargedBy(r);
  return {
    ...relation,
    toReference: compose(inverse(grown), compose(relation.toReference, grown)),
    offset: relation.offset.map(({ level, dx, dy }) => ({ level: level + (dx + dy) * h, dx: dx * r, dy: dy * r })),
  };
}

function reducedFrame(source: FrameSource, reduce: number): FrameSource {
  const width = Math.ceil(source.width / reduce);
  const height = Math.ceil(source.height / reduce);
  return {
    width,
    height,
    channels: source.channels,
    read: async (region) => {
      const from = intersectRegions(
        { x: region.x * reduce, y: region.y * reduce, width: region.width * reduce, height: region.height * reduce },
        wholeRegion(source),
      );
      const out = createRaster(region.width, region.height, source.channels);
      reduceInto(out, await source.read(from), 0, 0, reduce);
      return out;
    },
  };
}
