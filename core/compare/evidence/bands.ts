import type { JobHandle } from "../../job";

/** Starlet scales at which detail is looked at: 1, 2, 4 and 8 px. */
export const SUPPORT_SCALES = 4;
/** Starlet coefficients of the first scales. */
export function bands(
  plane: Float32Array,
  width: number,
  height: number,
  job: JobHandle,
  scales = SUPPORT_SCALES,
): Float32Array[] {
  let current = plane;
  return Array.from({ length: scales }, (_, j) => {
    const smooth = job.kernels.starletSmooth(current, width, height, j);
    const detail = current.map((v, i) => v - smooth[i]);
    current = smooth;
    return detail;
  });
}
