import { boxMeans } from "../../numeric/boxMeans";
import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/**
 * Guided filter, the picture its own guide: within each square the picture becomes a x + b, a = variance/(variance + ε²), and each pixel the mean over the squares
 * that hold it. Source: He, Sun & Tang 2013, IEEE TPAMI 35, 1397.
 */
export const guided = noiseApproach({
  id: "noise.guided",
  version: 1,
  words: {
    title: "Guided filter",
    short: "Guided",
    summary: "Smooths where a square varies no more than noise, and keeps what varies more.",
  },
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
  needs: () => [],
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
