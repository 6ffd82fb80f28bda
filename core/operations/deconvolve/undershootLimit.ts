import type { Kernels } from "../../kernels";
import type { NoiseModel } from "../../measure";
import { sigmaAt, smoothed } from "../../measure";
import { smoothstep } from "../../numeric/smoothstep";

/** How far the data are looked at for the darkest that is around, in FWHM of the blur. */
const REACH = 2.5;
/** How high something must stand above that, in σ, for rings around it to be taken off: from … wholly. */
const HIGH = [20, 60] as const;

/**
 * Takes off the dark rings that a deconvolution leaves round what is bright: no pixel becomes darker than the darkest that the data, smoothed, show within 2.5 FWHM. It acts only where something stands high above that: dark lanes in faint light may become darker.
 * Source: own; of such rings: Snyder et al. 1987, IEEE Trans. Med. Imag. 6, 228.
 */
export function limitUndershoot(
  result: Float32Array,
  data: Float32Array,
  width: number,
  height: number,
  fwhm: number,
  model: NoiseModel,
  kernels: Kernels,
): Float32Array {
  const smooth = (plane: Float32Array) => smoothed(plane, width, height, 2, kernels);
  const reach = Math.max(2, Math.round(REACH * fwhm));
  const seen = smooth(data);
  const least = smooth(kernels.leastAround(seen, width, height, reach));
  const most = kernels.mostAround(seen, width, height, reach);
  return result.map((v, i) => {
    const sigma = sigmaAt(model, least[i]);
    return v < least[i] && sigma > 0 ? v + smoothstep((most[i] - least[i]) / sigma, ...HIGH) * (least[i] - v) : v;
  });
}
