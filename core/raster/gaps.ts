import type { Raster } from "./raster";

/** The Raster itself where it has no NaN, else a copy with its gaps filled, one level a channel. */
export function fillGaps(raster: Raster, fill: readonly number[]): Raster {
  if (!raster.planes.some(hasGap)) return raster;
  const planes = raster.planes.map((plane, c) => {
    const out = plane.slice();
    for (let i = 0; i < out.length; i++) if (out[i] !== out[i]) out[i] = fill[c];
    return out;
  });
  return { ...raster, planes };
}

/** `raster` with NaN where `gaps`, of the same size, has it; itself where that has none. */
export function withGapsOf(raster: Raster, gaps: Raster): Raster {
  if (!gaps.planes.some(hasGap)) return raster;
  const planes = raster.planes.map((plane, c) => {
    const missing = gaps.planes[c];
    const out = plane.slice();
    for (let i = 0; i < out.length; i++) if (missing[i] !== missing[i]) out[i] = NaN;
    return out;
  });
  return { ...raster, planes };
}

function hasGap(plane: Float32Array): boolean {
  for (let i = 0; i < plane.length; i++) if (plane[i] !== plane[i]) return true;
  return false;
}
