import type { CfaPattern } from "../../formats";
import type { MosaicKernels } from "../../kernels";
import { createRandom } from "../../numeric/random";
import type { Raster } from "../../raster";
import { meanAndDeviation } from "../../raster";
import { cfaCell } from "../cfa";
import type { Demosaic } from "./demosaic";

const SIDE = 160;
/** Pixels at the border that see mirrored neighbours. */
const RIM = 8;

/**
 * White noise as it comes out of a demosaic: one raster of three channels from a mosaic whose noise has the given σ for each of the four
 * places of the cell. Demosaics that choose by the data (gradients) choose by the noise here, as they do on an empty sky. The same for
 * the same arguments.
 */
export function demosaicedNoise(
  demosaic: Demosaic,
  pattern: CfaPattern,
  sigma: readonly number[],
  kernels: MosaicKernels,
): Raster {
  const random = createRandom(77);
  const mosaic = Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
    const place = (Math.floor(i / SIDE) % 2) * 2 + ((i % SIDE) % 2);
    return sigma[place % sigma.length] * random.normal();
  });
  return demosaic.run(mosaic, SIDE, SIDE, cfaCell(pattern), kernels);
}

/** σ per pixel of each channel, over all places of the cell, the border left out. */
export function channelNoise({ planes, width, height }: Raster): number[] {
  return planes.map((plane) => {
    const inner = plane.filter((_, i) => {
      const x = i % width;
      const y = Math.floor(i / width);
      return x >= RIM && y >= RIM && x < width - RIM && y < height - RIM;
    });
    return meanAndDeviation(inner).sigma;
  });
}

/** Lags along each axis to which correlations are kept. */
export const CORRELATION_REACH = 5;

/**
 * Autocorrelation of the noise of each channel at lags −5 … 5 along both axes (11 × 11, row-major, 1 in the middle), the mean over the
 * places of the cell.
 */
export function noiseAutocorrelation({ planes, width, height }: Raster): number[][] {
  const reach = CORRELATION_REACH;
  return planes.map((plane) => {
    const at = (dx: number, dy: number): number => {
      let sum = 0;
      for (let y = RIM + reach; y < height - RIM - reach; y++)
        for (let x = RIM + reach; x < width - RIM - reach; x++)
          sum += plane[y * width + x] * plane[(y + dy) * width + x + dx];
      return sum;
    };
    const whole = at(0, 0);
    const size = 2 * reach + 1;
    return Array.from({ length: size * size }, (_, k) => {
      const [dx, dy] = [(k % size) - reach, Math.floor(k / size) - reach];
      return whole > 0 ? at(dx, dy) / whole : Number(dx === 0 && dy === 0);
    });
  });
}
