import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/** Means over squares of side 2 r + 1, cut at the border; sums in double precision, so that a crop has the same. O(1) a pixel. */
function boxMeans(plane: Float32Array | Float64Array, width: number, height: number, r: number): Float64Array {
  const rows = new Float64Array(plane.length);
  const out = new Float64Array(plane.length);
  const sums = new Float64Array(Math.max(width, height) + 1);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) sums[x + 1] = sums[x] + plane[y * width + x];
    for (let x = 0; x < width; x++) {
      const [from, to] = [Math.max(0, x - r), Math.min(width, x + r + 1)];
      rows[y * width + x] = (sums[to] - sums[from]) / (to - from);
    }
  }
  for (let x = 0; x < width; x++) {
    for (let y = 0; y < height; y++) sums[y + 1] = sums[y] + rows[y * width + x];
    for (let y = 0; y < height; y++) {
      const [from, to] = [Math.max(0, y - r), Math.min(height, y + r + 1)];
      out[y * width + x] = (sums[to] - sums[from]) / (to - from);
    }
  }
  return out;
}

/**
 * Guided filter, the picture its own guide: within each square the picture becomes a x + b, a = variance/(variance + ε²), and each pixel the mean over the squares
 * that hold it. Source: He, Sun & Tang 2013, IEEE TPAMI 35, 1397.
 */
export const guided = noiseApproach({
  id: "noise.guided",
  version: 1,
  title: "Guided filter",
  short: "Guided",
  summary: "Smooths where a square varies no more than noise, and keeps what varies more.",
  disturbedWeight: 1,
  fields: {
    radius: slider({
      label: "Radius",
      hint: "Half the side of the squares that are looked at",
      unit: "px",
      min: 1,
      max: 16,
      step: 1,
      default: 2,
    }),
    edge: slider({
      label: "Edge",
      hint: "What varies by many times so many σ of the noise stays, what varies by less is smoothed",
      unit: "σ",
      min: 0.5,
      max: 8,
      step: 0.1,
      default: 3,
    }),
  },
  needs: [],
  reach: ({ radius }) => 2 * radius,
  clean({ plane, width, height }, { radius, edge }) {
    const means = boxMeans(plane, width, height, radius);
    const squares = boxMeans(
      Float64Array.from(plane, (v) => v * v),
      width,
      height,
      radius,
    );
    const [a, b] = [new Float64Array(plane.length), new Float64Array(plane.length)];
    for (let i = 0; i < a.length; i++) {
      const variance = Math.max(0, squares[i] - means[i] * means[i]);
      a[i] = variance / (variance + edge * edge);
      b[i] = (1 - a[i]) * means[i];
    }
    const [slopes, levels] = [a, b].map((values) => boxMeans(values, width, height, radius));
    return plane.map((v, i) => slopes[i] * v + levels[i]);
  },
});
