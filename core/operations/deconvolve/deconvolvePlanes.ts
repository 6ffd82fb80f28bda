import type { Facts } from "../../facts";
import type { JobHandle } from "../../job";
import type { Psf } from "../../kernels";
import { moffatPsf, roundPsf } from "../../measure";
import type { Raster } from "../../raster";
import { rasterOf } from "../../raster";
import { gaussianPsf } from "../gaussianPsf";
import type { Place } from "../operation";
import type { BlurParams, StarBlur } from "./blur";
import { blurRadius, meanFwhm, narrowed, shapesOf, typedBlur, typedFwhm, typedRadius } from "./blur";
import { targetFwhm } from "./lucy";
import { withSpatiallyVaryingPsf, widest } from "./spatiallyVaryingPsf";

/** Half the side of what a result is shown by. */
export const SHOWN_RADIUS = 12;

/** A blur, and what the result is shown by. */
export interface ShownBlur {
  psf: Psf;
  target: Psf;
  fwhm: number;
}

/** How wide the blur gets anywhere, in px, and how far its PSF goes. */
export function reachOf(params: BlurParams, facts: Facts<StarBlur>): { fwhm: number; radius: number } {
  const shapes = shapesOf(params, facts);
  if (!shapes) return { fwhm: typedFwhm(params), radius: typedRadius(params) };
  const fwhm = Math.max(...shapes.map(widest));
  return { fwhm, radius: blurRadius(fwhm) };
}

/** What `treat` makes of each channel of a region with its blur at its place (overField.ts), or the typed one, to be shown by a target of the width that goes with a strength: of the kind of the blur, a Moffat or a Gaussian. */
export async function deconvolvePlanes(
  region: Raster,
  place: Place,
  params: BlurParams,
  facts: Facts<StarBlur>,
  { strength, halo }: { strength: number; halo: number },
  job: JobHandle,
  treat: (
    plane: Float32Array,
    width: number,
    height: number,
    blur: ShownBlur,
    c: number,
    job: JobHandle,
  ) => Float32Array,
): Promise<Raster> {
  const each = async (part: Raster, of: (c: number) => ShownBlur, own: JobHandle) => {
    const planes: Float32Array[] = [];
    for (const [c, plane] of part.planes.entries()) {
      await own.breathe();
      planes.push(treat(plane, part.width, part.height, of(c), c, own));
      own.progress((c + 1) / part.channels);
    }
    return rasterOf(part.width, part.height, planes);
  };
  const known = shapesOf(params, facts);
  if (!known) {
    const fwhm = typedFwhm(params);
    const to = targetFwhm(fwhm, strength);
    const target = params.psf === "gaussian" ? gaussianPsf(to) : roundPsf(to, params.beta, SHOWN_RADIUS);
    return each(region, () => ({ psf: typedBlur(params, job.kernels.memory), target, fwhm }), job);
  }
  return withSpatiallyVaryingPsf(region, place, known, halo, job, (part, _kept, shapes, own) => {
    const of = (c: number): ShownBlur => {
      const shape = narrowed(shapes[Math.min(c, shapes.length - 1)]);
      const fwhm = meanFwhm(shape);
      const target = roundPsf(targetFwhm(fwhm, strength), shape.beta, SHOWN_RADIUS);
      return { psf: moffatPsf(shape, blurRadius(shape.fwhmMajor)), target, fwhm };
    };
    return each(part, of, own);
  });
}
