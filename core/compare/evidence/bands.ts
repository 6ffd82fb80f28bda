import type { JobHandle } from "../../job";

/** Starlet scales at which detail is looked at: 1, 2, 4 and 8 px. */
export const SUPPORT_SCALES = 4;

interface Known {
  found: Float32Array[];
  smooth: Float32Array;
}
/**
 * Starlet coefficients of the first scales of a plane, which must not be changed afterwards. What
 * was split already is remembered: the parts of evidence ask for the same again.
 */
export function bands(
  plane: Float32Array,
  width: number,
  height: number,
  job: JobHandle,
  scales = SUPPORT_SCALES,
): Float32Array[] {
  const entry = job.kernels.memory.remember<Known>(plane, "starlet", () => ({ found: [], smooth: plane }));
  for (let j = entry.found.length; j < scales; j++) {
    const smooth = job.kernels.starletSmooth(entry.smooth, width, height, j);
    const detail = new Float32Array(smooth.length);
    for (let i = 0; i < detail.length; i++) detail[i] = entry.smooth[i] - smooth[i];
    entry.found.push(detail);
    entry.smooth = smooth;
  }
  return entry.found.slice(0, scales);
}
