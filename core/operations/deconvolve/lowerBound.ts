import type { Kernels } from "../../kernels";
import type { NoiseModel } from "../../measure";
import { sigmaAt } from "../../measure";
import { rise } from "../../numeric/rise";
import { mirrorIndex } from "../../raster";

/** How far the data are looked at for the darkest that is around, in FWHM of the blur. */
const REACH = 2.5;
/** So many σ of a pixel below that a result may lie; and how high something must stand above it, in σ, for rings around it to be taken off: from … wholly. */
const ROOM = 1;
const HIGH = [20, 60] as const;

/**
 * Takes off the dark rings that a deconvolution leaves round what is bright: no pixel becomes darker than the darkest that the data, smoothed, show within 2.5 FWHM. It acts only where something stands high above that: dark lanes in faint light may become darker.
 * Source: own; of such rings: Snyder et al. 1987, IEEE Trans. Med. Imag. 6, 228.
 */
export function boundBelow(
  result: Float32Array,
  data: Float32Array,
  width: number,
  height: number,
  fwhm: number,
  model: NoiseModel,
  kernels: Kernels,
): Float32Array {
  const smooth = (plane: Float32Array) => kernels.starletSmooth(kernels.starletSmooth(plane, width, height, 0), width, height, 1); // prettier-ignore
  const reach = Math.max(2, Math.round(REACH * fwhm));
  const seen = smooth(data);
  const least = smooth(extremeAround(seen, width, height, reach, Math.min));
  const most = extremeAround(seen, width, height, reach, Math.max);
  return result.map((v, i) => {
    const sigma = sigmaAt(model, least[i]);
    const low = least[i] - ROOM * sigma;
    return v < low && sigma > 0 ? v + rise((most[i] - least[i]) / sigma, ...HIGH) * (low - v) : v;
  });
}

/** The least or most of a plane in a square of `reach` px to each side, mirrored beyond its border, in three looks at each sample however far. Source: van Herk 1992, Pattern Recognit. Lett. 13, 517. */
export function extremeAround(
  plane: Float32Array,
  width: number,
  height: number,
  reach: number,
  of: (a: number, b: number) => number,
): Float32Array {
  const wide = 2 * reach + 1;
  const along = (from: Float32Array, length: number, step: number, lines: number, between: number) => {
    const out = new Float32Array(from.length);
    const count = Math.ceil((length + 2 * reach) / wide) * wide;
    const places = Int32Array.from({ length: count }, (_, k) => mirrorIndex(k - reach, length) * step);
    const [line, before, after] = [0, 1, 2].map(() => new Float32Array(count));
    for (let n = 0; n < lines; n++) {
      // Within blocks as long as the window: the extreme of all before a place, and of all after it. A window is the end of one block and the beginning of the next.
      for (let k = 0; k < count; k++) line[k] = from[n * between + places[k]];
      for (let k = 0; k < count; k++) before[k] = k % wide === 0 ? line[k] : of(before[k - 1], line[k]);
      for (let k = count - 1; k >= 0; k--) after[k] = k % wide === wide - 1 ? line[k] : of(after[k + 1], line[k]);
      for (let k = 0; k < length; k++) out[n * between + k * step] = of(after[k], before[k + wide - 1]);
    }
    return out;
  };
  return along(along(plane, width, 1, height, width), height, width, width, 1);
}
