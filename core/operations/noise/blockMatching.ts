import type { JobHandle } from "../../job";
import { BLOCK, COSINES } from "../../kernels";
import { REACH } from "../../measure";
import { choice, slider } from "../../parameters";
import { cropPlane, growRegion, intersectRegions, pasteInto, rasterOf, wholeRegion } from "../../raster";
import type { StabilisedPlane } from "../varianceStabilised";
import { partOf } from "../varianceStabilised";
import { noiseApproach } from "./approach";
import { keepDetail, MIXTURE_REACH, mixtureOf } from "./mixtureShrinkage";

/** Pixels between blocks that are looked at. */
const STEP = 4;
/** The first of the two classical steps keeps coefficients above so many σ. Source: Dabov et al. 2007. */
const THRESHOLD = 2.7;

/** How far a pixel's blocks, their alike ones and those alike to these reach. */
const reachOf = (search: number): number => 2 * (search + BLOCK - 1);

/** Variance of the noise, of an autocovariance to lags of 8 px, in each coefficient of a block's cosine transform: Σ over lags of the covariance times the coefficient's own overlap. */
export function blockVariance(covariance: readonly number[]): Float32Array {
  const side = 2 * REACH + 1;
  const overlaps = Array.from({ length: BLOCK }, (_, k) =>
    Array.from({ length: side }, (_l, n) => {
      const lag = n - REACH;
      let sum = 0;
      for (let i = Math.max(0, -lag); i < Math.min(BLOCK, BLOCK - lag); i++)
        sum += COSINES[k * BLOCK + i] * COSINES[k * BLOCK + i + lag];
      return sum;
    }),
  );
  return Float32Array.from({ length: BLOCK * BLOCK }, (_, n) => {
    const [down, across] = [overlaps[Math.floor(n / BLOCK)], overlaps[n % BLOCK]];
    const sum = covariance.reduce((s, c, k) => s + c * down[Math.floor(k / side)] * across[k % side], 0);
    return Math.max(1e-6, sum);
  });
}

/**
 * Block matching: alike blocks are stacked, and each coefficient of the stack is weighed by what a first result shows of it. That pilot is the mixture's (facts/mixture.ts), or
 * comes from the classical first step, which keeps what stands above 2.7 σ. Source: Dabov, Foi, Katkovnik & Egiazarian 2007, IEEE TIP 16, 2080; with the mixture as pilot own.
 */
export const blockMatching = noiseApproach({
  id: "noise.block-matching",
  version: 1,
  words: {
    title: "Block matching",
    short: "Blocks",
    summary: "Cleans alike pieces of the picture together: what repeats is kept best.",
  },
  disturbedWeight: 0.9,
  fields: {
    pilot: choice({
      label: "First look",
      hint: "What tells detail from noise before blocks are weighed: the mixture, or the blocks themselves",
      options: [
        { value: "mixture", label: "by mixture" },
        { value: "blocks", label: "by blocks" },
      ],
      default: "mixture",
    }),
    detail: { ...keepDetail, when: { name: "pilot", is: "mixture" } },
    search: slider({
      label: "Search",
      hint: "How far alike blocks are looked for; farther finds more of them, and takes longer",
      unit: "px",
      min: 4,
      max: 24,
      step: 1,
      default: 10,
    }),
  },
  needs: () => ["mixture"],
  reach: ({ pilot, search }) => reachOf(search) + (pilot === "mixture" ? MIXTURE_REACH : reachOf(search)),
  clean(even, { pilot, detail, search }, { mixture }, job) {
    const variance = blockVariance(even.covariance);
    const reach = reachOf(search);
    const needed = intersectRegions(growRegion(even.kept, reach), wholeRegion(even));
    const first =
      pilot === "mixture"
        ? mixtureOf({ ...even, kept: needed }, detail, mixture, job)
        : matched(even, even.plane, search, variance, THRESHOLD, job);
    const own = partOf(even, needed, even.kept);
    const clean = matched(own, cropPlane(first, even.width, needed), search, variance, null, job);
    const out = rasterOf(even.width, even.height, [even.plane.slice()]);
    pasteInto(out, rasterOf(needed.width, needed.height, [clean]), needed.x, needed.y);
    return out.planes[0];
  },
});

/** Blocks that go together: fewer where the pilot is noisy cost detail, more where it is clean cost time. */
const GROUP = 16;

function matched(
  { plane, width, height, x, y }: StabilisedPlane,
  pilot: Float32Array,
  search: number,
  variance: Float32Array,
  threshold: number | null,
  job: JobHandle,
): Float32Array {
  const settings = { step: STEP, originX: x, originY: y, search, group: GROUP, variance, threshold };
  return job.kernels.matchBlocks(plane, pilot, width, height, settings);
}
