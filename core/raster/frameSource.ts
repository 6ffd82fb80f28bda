import type { CreateRaster, Raster } from "./raster";
import { cropRaster } from "./raster";
import type { Region } from "./region";

/**
 * Random access to the pixels of a stored picture. `read` resolves with the pixels of a region that lies inside the
 * picture and costs about what the region holds; it rejects with a FormatError where the file cannot be read. What it
 * gives is the caller's to change; it may lie in what `create` made, which saves fresh memory, or not.
 */
export interface FrameSource {
  readonly width: number;
  readonly height: number;
  readonly channels: number;
  read(region: Region, create?: CreateRaster): Promise<Raster>;
  /** σ per pixel by channel, where the frame knows it better than its pixels tell (a demosaiced one does); null or missing elsewhere. */
  noise?(): Promise<number[] | null>;
}

/** A FrameSource over a picture that is in memory already. */
export function frameOfRaster(raster: Raster): FrameSource {
  return {
    width: raster.width,
    height: raster.height,
    channels: raster.channels,
    read: (region) => Promise.resolve(cropRaster(raster, region)),
  };
}

/** A FrameSource whose samples are multiplied by a factor; the frame itself for 1. */
export function scaledFrame(source: FrameSource, factor: number): FrameSource {
  if (factor === 1) return source;
  return {
    width: source.width,
    height: source.height,
    channels: source.channels,
    read: async (region, create) => {
      const raster = await source.read(region, create);
      return { ...raster, planes: raster.planes.map((plane) => plane.map((v) => v * factor)) };
    },
  };
}
