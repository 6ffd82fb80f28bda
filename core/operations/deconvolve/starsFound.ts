import type { Facts } from "../../facts";
import { shareInBrightness } from "../../facts";
import type { JobHandle } from "../../job";
import type { MoffatTable, PointStar, StarPlanes } from "../../kernels";
import { DRAWN } from "../../kernels";
import type { MaybeJudged, MoffatShape } from "../../measure";
import {
  drawDisc,
  deblendStars,
  normalizedConvolution,
  moffatRadius,
  moffatTable,
  PEAKS_HALO,
  sigmaAt,
  surroundings,
} from "../../measure";
import { smoothstep } from "../../numeric/smoothstep";
import type { Raster, Region } from "../../raster";
import { cropRaster, growRegion, intersectRegions, median, rasterOf, wholeRegion } from "../../raster";
import { pointsOf } from "./starPoints";

/** Searches, each in what the stars so far leave; and rounds of fitting after each. */
const SEARCHES = 3;
const ROUNDS = 8;
/** A sample higher than this share of the brightest one may be clipped. */
const CLIPPED_SHARE = 0.75;
/** So many times its σ a sample that says nothing is worth. */
const UNTOLD = 1e6;
/** What a star is drawn as far as: to where it is so many σ of the dark sky. */
const DRAWN_TO_SIGMA = 0.01;
/** The PSF is known to about this share of a star's light: what remains of it where that exceeds the noise is no picture. */
const PSF_ERROR = 0.015;
/**
 * Stars so high over the noise that the picture came with, of which the profile leaves more than this share (rms within a FWHM),
 * are not as the PSF says: clipped, or no single star. They are left as they were.
 */
const BRIGHT_SIGMA = [80, 120] as const;
const MOST_LEFT = [0.03, 0.05] as const;
/** The same of a star that may be clipped: of its wings (rms within two FWHM where they are not clipped), over themselves. */
const MOST_LEFT_OF_WINGS = [0.15, 0.3] as const;
/** So many clipped pixels that the star's profile does not explain are light that ran over. */
const BLEEDING = [2, 8] as const;
/** A top is flat where, of the pixels above the first share of its height, more than so many are above the second: of a Moffat profile a sixth are. */
const [HIGH, TOP, FLAT] = [0.75, 0.95, 0.35];
/** A point that is so near to the middle of something wide, in FWHM, and fainter in every channel, is part of it. */
const PART_OF = 1.4;
/** How far such a star is left alone: to where its light has fallen to this many σ, at most so far, with a soft edge. */
const ALONE = { sigma: 0.5, most: 34, soft: 4 };

/** How far a PSF is followed, in px. */
export const PSF_RADIUS = 15;
/** Whether stars are two or one is asked so far around what is kept, in px: farther off it says nothing there. */
const JUDGED = 24;
/** Surroundings that drawing stars anew needs, in px. Stars that are solved beside others that a crop does not hold: one more reach of the profile. */
export const ANEW_HALO = 2 * PSF_RADIUS + 2 * DRAWN + PEAKS_HALO;

/** Where stars are drawn anew, and by what. */
export interface Sky {
  region: Raster;
  /** What of it is used. */
  kept: Region;
  facts: Facts<"noiseModel" | "sky">;
  shapes: readonly MoffatShape[];
  starSnr: number;
}

/** Light of a star that lies below this need not be drawn, by channel. */
export const leastLight = ({ noiseModel }: Facts<"noiseModel" | "sky">) =>
  noiseModel.models.map(({ a }) => DRAWN_TO_SIGMA * Math.sqrt(a));

/** A star, and whether it answers to a wider profile: two stars, or no star. */
type FoundStar = MaybeJudged & { isWide?: boolean };

/** The stars of a region, as far as they reach what is kept of it, and the region without them. */
export async function starsOf(
  { region, kept, facts, shapes, starSnr }: Sky,
  job: JobHandle,
): Promise<{ stars: PointStar[]; rest: Float32Array[]; alone: Float32Array }> {
  const { width, height } = region;
  const { noiseModel, sky } = facts;
  const { kernels } = job;
  // What noise reduction took away has bent faint stars all the same.
  const { removed } = noiseModel;
  const rest = region.planes.map((plane) => plane.slice());
  const profiles: MoffatTable[] = shapes.map((of) => moffatTable(of));
  const on: StarPlanes = { planes: rest, width, height, profiles, least: leastLight(facts) };
  const sigmas = region.planes.map((plane, c) =>
    surroundings(plane, width, height, job.kernels).map((level) => sigmaAt(noiseModel.models[c], level)),
  );
  const clipped = region.planes.map((_, c) => sky.level[c] + CLIPPED_SHARE * (sky.brightest[c] - sky.level[c]));
  // What may be clipped counts for nothing: such stars are measured by their wings.
  const told = sigmas.map((of, c) => of.map((v, i) => (region.planes[c][i] > clipped[c] ? UNTOLD * v : v)));
  const fwhm = Math.sqrt(shapes[0].fwhmMajor * shapes[0].fwhmMinor);
  const { fwhmMajor, fwhmMinor, angle, beta } = shapes[0];
  const shape = { fwhmPx: fwhm, beta, ratio: fwhmMinor / fwhmMajor, angle };
  const isWithin = (margin: number) => {
    const at = growRegion(kept, margin);
    return (star: { x: number; y: number }) =>
      star.x >= at.x && star.y >= at.y && star.x < at.x + at.width && star.y < at.y + at.height;
  };
  const [reaches, counts] = [isWithin(ANEW_HALO - PEAKS_HALO), isWithin(JUDGED)];
  const fewest = (all: readonly FoundStar[]): FoundStar[] => {
    const judged = deblendStars(on, all.filter(counts), told, fwhm, kernels);
    return [...judged, ...all.filter((star) => !counts(star))];
  };
  let stars: FoundStar[] = [];
  for (let search = 0; search < SEARCHES; search++) {
    await job.breathe();
    // Heights above the sky: a level that is divided by an uneven σ would be uneven itself.
    const found = pointsOf(
      brightness(rest, sky.level, sigmas),
      width,
      height,
      shape,
      noiseModel.covariance[0],
      starSnr,
      job,
    )
      .filter(reaches)
      .filter(({ x, y }) => stars.every((star) => Math.hypot(star.x - x, star.y - y) > 0.35 * fwhm))
      .map(({ x, y, significance, isWide }) => {
        const i = Math.round(y) * width + Math.round(x);
        return { x, y, isWide, heights: sigmas.map((of) => (significance * of[i]) / Math.sqrt(sigmas.length)) };
      });
    if (found.length === 0) break;
    kernels.drawStars(on, found, -1);
    stars = kernels.solveStars(on, [...stars, ...found], { sigmas: told, rounds: ROUNDS });
    // A pair that is taken for one star leaves light on either side, which the next search would take for two more.
    if (search === 0) stars = fewest(stars);
  }
  stars = fewest(stars);
  const alone = new Float32Array(width * height);
  // What is wider than a star and not two of them is no star and goes to the rest; one that bled, or that the profile does not fit, is left as it was: the more the surer that is, so that nothing hangs on a hair. What is clipped looks wide: its flat top and its wings tell.
  const judged = stars.map((star) => {
    if (star.isKnot) return { star, isNone: true, share: 0 };
    const x = Math.min(width - 1, Math.max(0, Math.round(star.x)));
    const y = Math.min(height - 1, Math.max(0, Math.round(star.y)));
    const highest = star.heights.reduce((most, h, c) => Math.max(most, h / (removed[c] * sigmas[c][y * width + x])), 0);
    const bright = smoothstep(highest, ...BRIGHT_SIGMA);
    const { misfit, isFlat } = bright > 0 ? misfitOf(star, rest, region, fwhm, clipped) : { misfit: 0, isFlat: false };
    const isNone = star.isWide === true && !(isFlat && misfit < 1);
    return { star, isNone, share: isNone && !isFlat ? 0 : bright * (isNone ? 1 : misfit) };
  });
  // A point beside the middle of something wide is part of it.
  const wide = judged.flatMap(({ star, isNone }) => (isNone ? star : []));
  for (const of of judged)
    if (!of.isNone && wide.some((other) => isPartOf(of.star, other, fwhm))) [of.isNone, of.share] = [true, 0];
  const odd = judged.filter(({ share }) => share > 0);
  const starsOnly = (isNone: boolean) => judged.flatMap((of) => (of.isNone === isNone ? of.star : []));
  kernels.drawStars(on, starsOnly(true), 1);
  stars = starsOnly(false);
  const quiet = sigmas.map((of, c) => removed[c] * of.reduce((least, v) => Math.min(least, v), Infinity));
  for (const { star, share } of odd) {
    const height0 = Math.max(...star.heights.map((h, c) => h / (ALONE.sigma * quiet[c])));
    const radius = Math.min(ALONE.most, moffatRadius(shapes[0].fwhmMajor, shape.beta, height0)) + ALONE.soft / 2;
    drawDisc(alone, width, height, { x: star.x, y: star.y, radius, soft: ALONE.soft, degree: share });
  }
  for (const [c, plane] of rest.entries())
    evenUnderStars(plane, region.planes[c], alone, sigmas[c], width, height, job);
  return { stars, rest, alone };
}

const isPartOf = (star: PointStar, wide: PointStar, fwhm: number): boolean =>
  Math.hypot(star.x - wide.x, star.y - wide.y) < PART_OF * fwhm && star.heights.every((h, c) => h < wide.heights[c]);

/** The first of the components (facts/components.ts) of heights above the sky in σ. */
function brightness(rest: Float32Array[], levels: readonly number[], sigmas: Float32Array[]): Float32Array {
  const out = new Float32Array(rest[0].length);
  for (const [c, share] of shareInBrightness(rest.length).entries()) {
    const [plane, level, sigma] = [rest[c], levels[c], sigmas[c]];
    for (let i = 0; i < out.length; i++) out[i] += (share * (plane[i] - level)) / sigma[i];
  }
  return out;
}

/**
 * How surely a star is not as the PSF says, 0 … 1, and whether its top is flat: clipped. Of one that may be clipped its wings tell it: what the profile leaves of them where they are not clipped, as a share of themselves.
 */
function misfitOf(
  { x, y, heights }: PointStar,
  rest: readonly Float32Array[],
  { planes, width, height }: Raster,
  fwhm: number,
  clipped: readonly number[],
): { misfit: number; isFlat: boolean } {
  const [cx, cy] = [Math.round(x), Math.round(y)];
  const within = (reach: number, each: (i: number) => void) => {
    for (let v = Math.max(0, cy - reach); v <= Math.min(height - 1, cy + reach); v++)
      for (let u = Math.max(0, cx - reach); u <= Math.min(width - 1, cx + reach); u++) each(v * width + u);
  };
  const near = Math.ceil(fwhm);
  const each = heights.map((h, c) => {
    const level = medianAround(rest[c], width, height, cx, cy, 3 * near);
    let [highest, square, count] = [-Infinity, 0, 0];
    within(near, (i) => {
      highest = Math.max(highest, planes[c][i]);
      square += (rest[c][i] - level) ** 2;
      count++;
    });
    if (highest <= clipped[c])
      return { isFlat: false, misfit: smoothstep(Math.sqrt(square / count) / h, ...MOST_LEFT) };
    let [left, light, samples, high, top, unexplained] = [0, 0, 0, 0, 0, 0];
    within(2 * near, (i) => {
      if (planes[c][i] - level > HIGH * (highest - level)) high++;
      if (planes[c][i] - level > TOP * (highest - level)) top++;
      if (planes[c][i] > clipped[c]) {
        if (planes[c][i] - rest[c][i] < 0.5 * (planes[c][i] - level)) unexplained++;
        return;
      }
      left += (rest[c][i] - level) ** 2;
      light += (planes[c][i] - rest[c][i]) ** 2;
      samples++;
    });
    const wings = samples === 0 ? 1 : smoothstep(Math.sqrt(left / light), ...MOST_LEFT_OF_WINGS);
    return { isFlat: top > FLAT * high, misfit: Math.max(wings, smoothstep(unexplained, ...BLEEDING)) };
  });
  return { misfit: Math.max(...each.map(({ misfit }) => misfit)), isFlat: each.some((of) => of.isFlat) };
}

function medianAround(plane: Float32Array, width: number, height: number, cx: number, cy: number, reach: number) {
  const around = { x: cx - reach, y: cy - reach, width: 2 * reach + 1, height: 2 * reach + 1 };
  const whole = rasterOf(width, height, [plane]);
  return median(cropRaster(whole, intersectRegions(around, wholeRegion(whole))).planes[0]);
}

/** What remains where stars were bright, or were left alone, becomes, in place, the mean of what is around, the more the less it is to be trusted. */
function evenUnderStars(
  rest: Float32Array,
  before: Float32Array,
  alone: Float32Array,
  sigma: Float32Array,
  width: number,
  height: number,
  job: JobHandle,
): void {
  const trust = rest.map((v, i) => (1 - alone[i]) / (1 + ((PSF_ERROR * (before[i] - v)) / sigma[i]) ** 2));
  const weight = trust.map((t) => t * t);
  const around = normalizedConvolution(rest, weight, width, height, job.kernels);
  for (let i = 0; i < rest.length; i++)
    if (trust[i] < 0.99 && around[i] === around[i]) rest[i] = trust[i] * rest[i] + (1 - trust[i]) * around[i];
}
