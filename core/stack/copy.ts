import type { Kernels } from "../kernels";
import type { FrameSource, Raster, Region } from "../raster";
import { createRaster } from "../raster";
import type { ResamplingKernel } from "../register";
import { enlargedBy, resample, sourceRegion } from "../register";

/** Size of a copy of a picture: whole pixels of which it has enough. */
export const copySize = ({ width, height }: { width: number; height: number }, factor: number) => ({
  width: Math.floor(width * factor),
  height: Math.floor(height * factor),
});

/**
 * A region of a copy of a picture at another scale. Enlarged (factor > 1) it is resampled by `resampling`; reduced (factor 1/n) each pixel is the mean of
 * n × n, NaN left out, as if the camera had binned. Throws RangeError for a factor that is neither.
 */
export async function copyRegion(
  source: FrameSource,
  factor: number,
  resampling: ResamplingKernel,
  region: Region,
  kernels: Kernels,
): Promise<Raster> {
  const n = Math.round(1 / factor);
  if (!(factor > 1) && Math.abs(factor * n - 1) > 1e-9)
    throw new RangeError(`a copy is enlarged, or reduced by a whole number, received a factor of ${factor}`);
  if (factor > 1) {
    const toCopy = enlargedBy(factor);
    const from = sourceRegion(region, toCopy, source);
    return resample(await source.read(from), from, toCopy, region, { kernel: resampling, kernels });
  }
  const { x, y, width, height } = region;
  const piece = await source.read({ x: x * n, y: y * n, width: width * n, height: height * n });
  const out = createRaster(width, height, source.channels);
  piece.planes.forEach((plane, c) => {
    for (let v = 0; v < height; v++)
      for (let u = 0; u < width; u++) {
        let [sum, count] = [0, 0];
        for (let j = 0; j < n; j++)
          for (let i = 0; i < n; i++) {
            const sample = plane[(v * n + j) * piece.width + u * n + i];
            if (sample === sample) [sum, count] = [sum + sample, count + 1];
          }
        out.planes[c][v * width + u] = count > 0 ? sum / count : NaN;
      }
  });
  return out;
}
