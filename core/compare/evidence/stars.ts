import { localVariance } from "../../chain";
import type { JobHandle } from "../../job";
import type { PointShape } from "../../measure";
import { autocovariance, findStars, isHighest, pointFilter, REACH } from "../../measure";
import { mirrorIndex, quantile, rasterOf, robustSpread } from "../../raster";
import type { SupportViews } from "./views";

export const STAR_STANDINGS = ["kept", "doubtful", "notInData", "lost"] as const;
export type StarStanding = (typeof STAR_STANDINGS)[number];

/** A star of the lane or of the data: its place in px of the picture, and how far a matched filter finds it above the noise in the stack and in each half. */
export interface StarSupport {
  x: number;
  y: number;
  standing: StarStanding;
  inStack: number;
  inA: number;
  inB: number;
}

/** What the stack must show of a star of the lane, in σ, that the data hold it; below the second they do not. */
const [HELD, ABSENT] = [4, 3];
/**
 * By how many σ of the data the lane must show more of a star than they do, that it is not in them: a faint bump that the lane
 * shows no brighter than the data is doubtful, not invented.
 */
const CLAIMED = 3.5;
/** What each half must show besides, in its own σ: what only one of them shows is an artefact of some subs. */
const IN_EACH = 1.5;
/** A star of the data counts as lost above this, where the lane keeps less than half of it. */
const CLEAR = 5;
/** What is seen as a star of the lane stands so many σ of its own noise high. */
const SEEN = 4;
/** A brighter star within so many FWHM hides what the data hold of one. */
const BESIDE = 3;
/** Places of the same star are nearer than so many px, or than this share of the FWHM: two that are, the data cannot tell apart. */
const [SAME, SAME_SHARE] = [2, 0.75];

/**
 * The stars of the lane and of the data inside the place, each with its support: kept, doubtful, not in the data, or lost. The lane's stars are those that are found in it as it is seen, by its own noise; their support is the answer of the
 * stack's matched filter there (within a pixel), over the noise that the halves show. Not in the data is what stands
 * less than 3 σ high there, and in the lane, blurred as the data are, by 3.5 σ more. Empty without halves.
 * Source: matched filter, e.g.
 * Zackay & Ofek 2017, ApJ 836, 187.
 */
export function starSupport(views: SupportViews, shape: PointShape, job: JobHandle): StarSupport[] {
  const { before, after, told, noise, halves, width, height, inside } = views;
  if (!noise || !halves) return [];
  const like = Array.from(autocovariance([{ plane: noise, width, height }], job.kernels, REACH, 1));
  const filter = pointFilter(shape, like);
  const answer = (plane: Float32Array) => filter?.over(plane, width, height, job.kernels) ?? null;
  const chance = answer(noise);
  if (!chance) return [];
  // Over the answers to the noise that is there: brighter places have more of it.
  const [variance] = localVariance(rasterOf(width, height, [chance]), job);
  const over = (plane: Float32Array, times = 1) =>
    (answer(plane) ?? chance).map((v, i) => v / Math.sqrt(times * variance[i]));
  const [stack, a, b, lane] = [over(before), over(halves.a, 2), over(halves.b, 2), over(told)];
  const isInside = ({ x, y }: { x: number; y: number }) =>
    x >= inside.x && y >= inside.y && x < inside.x + inside.width && y < inside.y + inside.height;
  const near = (plane: Float32Array, x: number, y: number): number => {
    let most = -Infinity;
    for (let v = -1; v <= 1; v++)
      for (let u = -1; u <= 1; u++)
        most = Math.max(most, plane[(Math.round(y) + v) * width + Math.round(x) + u] ?? -Infinity);
    return most;
  };
  // A star wider than the filter, with a flat top, has no answer there but stands high.
  const { sigma } = robustSpread(noise);
  const wide = (plane: Float32Array, times: number, x: number, y: number) =>
    heightAbove(plane, width, height, x, y) / (Math.sqrt(times) * sigma);
  const supported = ({ x, y }: { x: number; y: number }, standing: StarStanding): StarSupport => ({
    x,
    y,
    standing,
    inStack: Math.max(near(stack, x, y), wide(before, 1, x, y)),
    inA: Math.max(near(a, x, y), wide(halves.a, 2, x, y)),
    inB: Math.max(near(b, x, y), wide(halves.b, 2, x, y)),
  });
  const inEach = ({ inA, inB }: StarSupport) => Math.min(inA, inB) >= IN_EACH;
  const apart = Math.max(SAME, SAME_SHARE * shape.fwhmPx);
  const isNear = (a: { x: number; y: number }, b: { x: number; y: number }) => Math.hypot(a.x - b.x, a.y - b.y) < apart;
  const shown = findStars(after, width, height, job.kernels, { threshold: SEEN })
    .filter(isInside)
    // What blur that was overdone makes of one star is one star: they come brightest first.
    .filter((star, k, all) => !all.slice(0, k).some((brighter) => isNear(star, brighter)))
    .map((star) => supported(star, "kept"))
    .map((star, k, all): StarSupport => {
      if (star.inStack >= HELD && inEach(star)) return star;
      const inLane = Math.max(near(lane, star.x, star.y), wide(told, 1, star.x, star.y));
      const isClaimed = inLane - star.inStack >= CLAIMED;
      // Beside a brighter star (they come brightest first) the filter sees that one.
      const isBeside = all.slice(0, k).some(({ x, y }) => Math.hypot(x - star.x, y - star.y) < BESIDE * shape.fwhmPx);
      return { ...star, standing: star.inStack < ABSENT && isClaimed && !isBeside ? "notInData" : "doubtful" };
    });
  const lost = peaksOf(stack, views)
    .sort((p, q) => stack[q.y * width + q.x] - stack[p.y * width + p.x])
    .filter((peak, k, all) => ![...shown, ...all.slice(0, k)].some((star) => isNear(star, peak)))
    .map((peak) => supported(peak, "lost"))
    .filter((star) => inEach(star) && near(lane, star.x, star.y) < star.inStack / 2);
  return [...shown, ...lost];
}

/** Distance from a star at which its surroundings are looked at, and how many places of them. */
const [AWAY, PLACES] = [12, 24];

/** How far the mean of 3 × 3 px stands above the upper quartile of its surroundings. */
function heightAbove(plane: Float32Array, width: number, height: number, x: number, y: number): number {
  const at = (u: number, v: number) => plane[mirrorIndex(v, height) * width + mirrorIndex(u, width)];
  const [cx, cy] = [Math.round(x), Math.round(y)];
  let mean = 0;
  for (let v = -1; v <= 1; v++) for (let u = -1; u <= 1; u++) mean += at(cx + u, cy + v) / 9;
  const around = Float64Array.from({ length: PLACES }, (_, k) => {
    const turn = (2 * Math.PI * k) / PLACES;
    return at(Math.round(x + AWAY * Math.cos(turn)), Math.round(y + AWAY * Math.sin(turn)));
  });
  return mean - quantile(around, 0.75);
}

/** Maxima of a plane inside the place that stand clear. */
function peaksOf(plane: Float32Array, { inside, width }: SupportViews): { x: number; y: number }[] {
  const peaks: { x: number; y: number }[] = [];
  for (let y = inside.y; y < inside.y + inside.height; y++)
    for (let x = inside.x; x < inside.x + inside.width; x++)
      if (plane[y * width + x] > CLEAR && isHighest(plane, width, y * width + x)) peaks.push({ x, y });
  return peaks;
}
