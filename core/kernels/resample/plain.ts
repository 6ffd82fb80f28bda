import type { GridPlaces, ResampleKernels, RowPlaces, WeightTable } from "./contract";
import { checkPlaces } from "./contract";

export const resamplePlain: ResampleKernels = { resample };

function resample(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  { taps, phases, weights }: WeightTable,
  places: RowPlaces | GridPlaces,
): Float32Array[] {
  checkPlaces(planes, width, height, places);
  const { xs, ys } = "xs" in places ? places : placesOf(places);
  const before = taps / 2 - 1;
  return planes.map((plane) => {
    const out = new Float32Array(xs.length);
    for (let i = 0; i < out.length; i++) {
      const x = xs[i];
      const y = ys[i];
      if (!(x >= -0.5 && y >= -0.5 && x <= width - 0.5 && y <= height - 0.5)) {
        out[i] = NaN;
        continue;
      }
      const ix = Math.floor(x);
      const iy = Math.floor(y);
      const wx = Math.round((x - ix) * phases) * taps;
      const wy = Math.round((y - iy) * phases) * taps;
      out[i] = interpolate(plane, width, height, ix - before, iy - before, taps, weights, wx, wy);
    }
    return out;
  });
}

function placesOf({ matrix: [a, b, c, d, e, f], columns, rows }: GridPlaces): RowPlaces {
  const [xs, ys] = [new Float64Array(columns * rows), new Float64Array(columns * rows)];
  for (let j = 0, k = 0; j < rows; j++)
    for (let i = 0; i < columns; i++, k++) {
      xs[k] = a * i + (b * j + c);
      ys[k] = d * i + (e * j + f);
    }
  return { xs, ys };
}

/** `taps` × `taps` samples, those beyond the border repeating the border pixel, raised to the least of the inner 4 × 4. */
function interpolate(
  plane: Float32Array,
  width: number,
  height: number,
  left: number,
  top: number,
  taps: number,
  weights: Float32Array,
  wx: number,
  wy: number,
): number {
  let value = 0;
  let least = Infinity;
  const inner = taps / 2 - 2;
  for (let j = 0; j < taps; j++) {
    const line = Math.min(height - 1, Math.max(0, top + j)) * width;
    let row = 0;
    for (let k = 0; k < taps; k++) {
      const sample = plane[line + Math.min(width - 1, Math.max(0, left + k))];
      row += sample * weights[wx + k];
      const near = j >= inner && j < inner + 4 && k >= inner && k < inner + 4;
      if (near && sample < least) least = sample;
    }
    value += row * weights[wy + j];
  }
  return value < least ? least : value;
}
