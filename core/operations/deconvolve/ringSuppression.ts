import type { JobHandle } from "../../job";
import type { Psf } from "../../kernels";
import type { NoiseModel } from "../../measure";
import { sigmaAt, smoothed } from "../../measure";
import { smoothstep } from "../../numeric/smoothstep";
import { cropPlane, mirrored } from "../../raster";
import type { Restored } from "./lucy";

/** How far it is looked for the darkest around, and for what is bright, in FWHM of the blur. */
const [DARK_REACH, BRIGHT_REACH] = [2.5, 4];
/** So many σ above the darkest around something is bright: from … wholly. */
const BRIGHT = [40, 120] as const;
/** Light of its own is what stands so many σ above the darkest around, and so much of the brightest's height: from that … to three times that. */
const [OWN_SIGMA, OWN_SHARE] = [20, 0.003];

/**
 * What Richardson–Lucy found as a target shows it. Beside what is bright, where faint rings and
 * structure are not to be distinguished, only what stands clear of such rings is shown so; the
 * rest, rings among it, as the blur had it: T ∗ u' + P ∗ (u − u'), u' what stands clear.
 * Source: own, after Magain, Courbin & Sohy 1998, ApJ 494, 472 (points and the rest).
 */
export function suppressRings(
  plane: Float32Array,
  { estimate, lifted, width, height, margin }: Restored,
  { psf, target, fwhm }: { psf: Psf; target: Psf; fwhm: number },
  model: NoiseModel,
  { kernels }: JobHandle,
): Float32Array {
  const inside = { x: margin, y: margin, width: width - 2 * margin, height: height - 2 * margin };
  const smooth = (of: Float32Array) => smoothed(of, width, height, 2, kernels);
  const [near, far] = [DARK_REACH, BRIGHT_REACH].map((reach) => Math.max(2, Math.round(reach * fwhm)));
  const seen = smooth(mirrored(plane, inside.width, inside.height, margin, width).grown);
  const least = smooth(kernels.leastAround(seen, width, height, near));
  const most = kernels.mostAround(seen, width, height, far);
  const bright = smooth(
    most.map((v, i) => {
      const sigma = sigmaAt(model, least[i]);
      return sigma > 0 ? smoothstep((v - least[i]) / sigma, ...BRIGHT) : 0;
    }),
  );
  const shown = kernels.convolve(estimate, width, height, target);
  if (bright.some((share) => share > 0)) {
    const rest = estimate.map((v, i) => {
      const above = v + lifted[i] - least[i];
      const from = OWN_SIGMA * sigmaAt(model, least[i]) + OWN_SHARE * (most[i] - least[i]);
      return above > 0 && from > 0 ? v - smoothstep(above / from, 1, 3) * above : v;
    });
    const [soft, sharp] = [psf, target].map((of) => kernels.convolve(rest, width, height, of));
    for (let i = 0; i < shown.length; i++) shown[i] += bright[i] * (soft[i] - sharp[i]);
  }
  return cropPlane(
    shown.map((v, i) => v + lifted[i]),
    width,
    inside,
  );
}
