import type { Raster } from "./raster";
import { cropRaster } from "./raster";
import type { Region } from "./region";

/**
 * Random access to the pixels of a stored picture. `read` resolves with the pixels of a region that lies inside the
 * picture and costs about what the region holds; it rejects with a FormatError where the file cannot be read.
 */
export interface FrameSource {
  readonly width: number;
  readonly height: number;
  readonly channels: number;
  read(region: Region): Promise<Raster>;
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
