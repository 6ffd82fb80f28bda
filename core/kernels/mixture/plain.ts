import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import { starletPlain } from "../starlet/plain";
import type { MixtureBand, MixtureKernels } from "./contract";
import { NEIGHBOURS } from "./contract";

export const mixturePlain: MixtureKernels = { mixtureShrink, mixtureOfBand };

function mixtureOfBand(plane: Float32Array, width: number, height: number, step: number, band: MixtureBand) {
  checkPlane(plane, width, height);
  const out = new Float32Array(plane.length);
  addEstimate(out, plane, width, height, step, band);
  return out;
}

function mixtureShrink(
  plane: Float32Array,
  width: number,
  height: number,
  bands: readonly MixtureBand[],
): Float32Array {
  checkPlane(plane, width, height);
  const out = new Float32Array(plane.length);
  let current = plane;
  bands.forEach((band, scale) => {
    const smooth = starletPlain.starletSmooth(current, width, height, scale);
    const detail = current.map((v, i) => v - smooth[i]);
    addEstimate(out, detail, width, height, 1 << scale, band);
    current = smooth;
  });
  return out.map((v, i) => v + current[i]);
}

function addEstimate(
  out: Float32Array,
  detail: Float32Array,
  width: number,
  height: number,
  step: number,
  { project, back, axes, gains, offsets, levels }: MixtureBand,
): void {
  const y = new Float64Array(NEIGHBOURS);
  const v = new Float64Array(axes);
  const chance = new Float64Array(levels);
  const columns = [-2, -1, 0, 1, 2].map((k) =>
    Int32Array.from({ length: width }, (_, x) => mirrorIndex(x + k * step, width)),
  );
  for (let row = 0; row < height; row++) {
    const rows = [-2, -1, 0, 1, 2].map((k) => mirrorIndex(row + k * step, height) * width);
    for (let x = 0; x < width; x++) {
      for (let n = 0; n < NEIGHBOURS; n++) y[n] = detail[rows[Math.floor(n / 5)] + columns[n % 5][x]];
      for (let k = 0; k < axes; k++) {
        v[k] = 0;
        for (let n = 0; n < NEIGHBOURS; n++) v[k] += project[k * NEIGHBOURS + n] * y[n];
      }
      let most = -Infinity;
      for (let z = 0; z < levels; z++) {
        chance[z] = offsets[z];
        for (let k = 0; k < axes; k++) chance[z] += 0.5 * gains[z * axes + k] * v[k] * v[k];
        if (chance[z] > most) most = chance[z];
      }
      let [sum, weight] = [0, 0];
      for (let z = 0; z < levels; z++) {
        const p = Math.exp(chance[z] - most);
        let estimate = 0;
        for (let k = 0; k < axes; k++) estimate += back[k] * gains[z * axes + k] * v[k];
        sum += p * estimate;
        weight += p;
      }
      out[row * width + x] += sum / weight;
    }
  }
}
