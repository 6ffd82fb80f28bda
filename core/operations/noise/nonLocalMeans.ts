import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/** Two patches that show the same differ by their noise alone: twice its variance in the mean. */
const NOISE_OF_TWO = 2;

/** Non-local means: pixels are averaged whose patches are alike, wherever near by they lie. Source: Buades, Coll & Morel 2005, CVPR 2, 60. */
export const nonLocalMeans = noiseApproach({
  id: "noise.non-local-means",
  version: 1,
  words: {
    title: "Non-local means",
    short: "Non-local",
    summary: "Averages pixels whose surroundings look alike.",
  },
  disturbedWeight: 0.45,
  fields: {
    likeness: slider({
      label: "Likeness",
      hint: "How much more than by noise patches may differ and still be averaged; higher smooths more",
      unit: "σ",
      min: 0.1,
      max: 2,
      step: 0.05,
      default: 0.75,
    }),
    patch: slider({
      label: "Patch",
      hint: "How many pixels to each side are held against one another; large ones tell structures better and keep noise round stars",
      unit: "px",
      min: 1,
      max: 4,
      step: 1,
      default: 2,
    }),
    search: slider({
      label: "Search",
      hint: "How far patches that are alike are looked for; further is slower and smooths more evenly",
      unit: "px",
      min: 3,
      max: 12,
      step: 1,
      default: 6,
    }),
  },
  needs: () => [],
  reach: ({ patch, search }) => patch + search,
  clean: ({ plane, width, height }, { likeness, patch, search }, _facts, job) =>
    job.kernels.nonLocalMeans(plane, width, height, { patch, search, h: likeness, noiseDistance: NOISE_OF_TWO }),
});
