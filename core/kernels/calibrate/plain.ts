import { checkPlane } from "../plane";
import type { CalibrateKernels } from "./contract";
import { NEIGHBOUR_SHARE, RIM, checkMasters } from "./contract";

export const calibratePlain: CalibrateKernels = {
  applyMasters(plane, width, height, masters) {
    checkPlane(plane, width, height);
    checkMasters(plane, masters);
    const { bias, dark, flat, darkScale, flatMeans, pitch, saturation, pedestal } = masters;
    let hasGaps = false;
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const raw = plane[i];
        const level = bias ? bias[i] : 0;
        let value = raw - (dark ? (bias ? level + darkScale * (dark[i] - level) : dark[i]) : level);
        if (flat) {
          const relative = flat[i] / flatMeans[(y % pitch) * pitch + (x % pitch)];
          value = relative > 0 ? value / relative : NaN;
        }
        value += pedestal;
        plane[i] = raw >= saturation && raw > value ? raw : value;
        if (plane[i] !== plane[i]) hasGaps = true;
      }
    return hasGaps;
  },

  loneOutliers(plane, width, height, pitch, limits) {
    checkPlane(plane, width, height);
    const out = new Uint8Array(plane.length);
    const offsets = [-1, 0, 1].flatMap((dy) => [-1, 0, 1].flatMap((dx) => (dx === 0 && dy === 0 ? [] : [[dx, dy]])));
    const same = offsets.map(([dx, dy]) => (dy * width + dx) * pitch);
    const adjacent = offsets.map(([dx, dy]) => dy * width + dx);
    const rise = (i: number): number => plane[i] - medianOf(same.map((offset) => plane[i + offset]));
    for (let y = RIM; y < height - RIM; y++)
      for (let x = RIM; x < width - RIM; x++) {
        const i = y * width + x;
        const limit = limits[(y % pitch) * pitch + (x % pitch)];
        // Most pixels lie close to the nearest of their colour in their row and column: the medians are found only for the others.
        const inRow = 0.5 * (plane[i - pitch] + plane[i + pitch]);
        const inColumn = 0.5 * (plane[i - pitch * width] + plane[i + pitch * width]);
        if (Math.abs(plane[i] - inRow) <= 0.5 * limit && Math.abs(plane[i] - inColumn) <= 0.5 * limit) continue;
        const height0 = rise(i);
        if (!(Math.abs(height0) > limit)) continue;
        const most = NEIGHBOUR_SHARE * height0;
        const isAlone = adjacent.every((offset) => (height0 > 0 ? rise(i + offset) < most : rise(i + offset) > most));
        if (isAlone) out[i] = height0 > 0 ? 1 : 2;
      }
    return out;
  },
};

/** Median of those that are not NaN, the mean of the two middle ones for an even number; NaN for none. */
function medianOf(values: number[]): number {
  const known = values.filter((v) => v === v).sort((a, b) => a - b);
  const middle = known.length >> 1;
  return known.length % 2 === 1 ? known[middle] : 0.5 * (known[middle - 1] + known[middle]);
}
