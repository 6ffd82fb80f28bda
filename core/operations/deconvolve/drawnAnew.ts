import type { Facts } from "../../facts";
import { componentsOf } from "../../facts";
import type { JobHandle } from "../../job";
import type { MoffatShape, PointShape, PointStar, Profile } from "../../measure";
import {
  answerTo,
  DRAWN,
  drawDisc,
  drawStars,
  isHighest,
  moffatProfile,
  moffatPsf,
  moffatRadius,
  PEAKS_HALO,
  sigmaAt,
  significanceOf,
  solveStars,
  splitStars,
  surroundings,
} from "../../measure";
import { rise } from "../../numeric/rise";
import { slider } from "../../parameters";
import type { Raster } from "../../raster";
import { cropRaster, intersectRegions, median, rasterOf, wholeRegion } from "../../raster";
import { lucy, smoothnessField } from "./lucy";

/** Settings of what draws stars anew, beside its strength. */
export const anewFields = {
  iterations: slider({
    label: "Iterations",
    hint: "Steps for what is no star; more crisp its edges",
    min: 1,
    max: 60,
    step: 1,
    default: 20,
  }),
  smoothness: smoothnessField(2),
  starSnr: slider({
    label: "Stars from",
    hint: "How clearly a star must stand out to be drawn anew as a point; lower takes fainter ones, and some grains of noise",
    unit: "σ",
    min: 3.5,
    max: 15,
    step: 0.1,
    default: 4.5,
  }),
};

/**
 * A point that a wider profile answers better by this is structure; by a much narrower one, a spike. `by`: share of the FWHM; `most`: of what they would answer to a star, as clearly as noise lets them
 * (how neighbours share it decides that, so the limits hold before a noise reduction and after).
 */
const WIDER = { by: 1.45, most: 1.09 };
/** Two stars together are wider than one: what stands out by so many σ may be wider by this. */
const CLEAR = { from: 15, most: 1.3 };
const NARROWER = { by: 0.3, most: 2 };
/** Searches, each in what the stars so far leave; and rounds of fitting after each. */
const SEARCHES = 3;
const ROUNDS = 3;
/** A sample higher than this share of the brightest one may be clipped. */
const CLIPPED_SHARE = 0.75;
/** So many times its σ a sample that tells nothing is worth. */
const UNTOLD = 1e6;
/** The PSF is known to about this share of a star's light: what remains of it where that exceeds the noise is no picture. */
const PSF_ERROR = 0.015;
/** Stars so high, of which the profile leaves more than this share (rms within a FWHM), are not as the PSF says: clipped, or no single star. They are left as they were. */
const BRIGHT_SIGMA = [80, 120] as const;
const MOST_LEFT = [0.03, 0.05] as const;
/** How far such a star is left alone: to where its light has fallen to this many σ, at most so far, with a soft edge. */
const ALONE = { sigma: 0.5, most: 34, soft: 4 };
/** Smoothings that fill such places from around. */
const FILLS = 5;

const PSF_RADIUS = 15;
/** Surroundings that drawing stars anew needs, in px. Stars that are solved beside others that a crop does not hold: one more reach of the profile. */
export const ANEW_HALO = 2 * PSF_RADIUS + 2 * DRAWN + PEAKS_HALO;

/** What is asked of drawing stars anew. */
export interface Anew {
  iterations: number;
  smoothness: number;
  starSnr: number;
}

/**
 * Stars are found as points, their places and heights solved together, taken off, and drawn anew in the shapes of `targets`, as much light as before; what remains is deconvolved by Richardson–Lucy with total
 * variation and shown by the same targets. So stars cannot ring, and nothing is shown sharper than the sampling carries. `shapes`: of the stars as they are, by channel. Sources: Magain, Courbin & Sohy 1998, ApJ 494, 472
 * (target PSF); Dey et al. 2006, Microsc. Res. Tech. 69, 260.
 */
export async function drawnAnew(
  region: Raster,
  params: Anew,
  facts: Facts<"grain" | "sky">,
  shapes: readonly MoffatShape[],
  targets: readonly MoffatShape[],
  job: JobHandle,
): Promise<Raster> {
  const { width, height } = region;
  const profiles = shapes.map((of) => moffatProfile(of));
  const { stars, rest, alone } = await starsOf(region, params, facts, shapes, profiles, job);
  const planes: Float32Array[] = [];
  for (const [c, plane] of rest.entries()) {
    await job.breathe();
    const model = facts.grain.models[c];
    const [psf, target] = [moffatPsf(shapes[c], PSF_RADIUS), moffatPsf(targets[c], PSF_RADIUS)];
    const { iterations, smoothness } = params;
    const sigma = Math.sqrt(model.a);
    const settings = { psf, target, iterations, smoothness, zero: model.zero, sigma, floor: 1e-3 * sigma, smoothings: 2 }; // prettier-ignore
    planes.push(lucy(plane, width, height, settings, job));
    job.progress((c + 1) / rest.length);
  }
  // As much light as before: a narrower profile of the same flux is higher.
  const gains = shapes.map((shape, c) => heightGain(shape, targets[c]));
  const narrowed = stars.map((star) => ({ ...star, heights: star.heights.map((height, c) => height * gains[c]) }));
  drawStars(
    planes,
    width,
    height,
    narrowed,
    targets.map((of) => moffatProfile(of)),
    1,
  );
  for (const [c, plane] of planes.entries())
    for (let i = 0; i < plane.length; i++) plane[i] += alone[i] * (region.planes[c][i] - plane[i]);
  return rasterOf(width, height, planes);
}

/** How much higher the same light stands in another profile: by their sums over the drawn disc. */
function heightGain(from: MoffatShape, to: MoffatShape): number {
  const sum = (shape: MoffatShape) => {
    const profile = moffatProfile(shape);
    let total = 0;
    for (let v = -DRAWN; v <= DRAWN; v++)
      for (let u = -DRAWN; u <= DRAWN; u++) if (u * u + v * v <= DRAWN * DRAWN) total += profile(u, v);
    return total;
  };
  return sum(from) / sum(to);
}

/** The stars of a region, and the region without them. */
async function starsOf(
  region: Raster,
  { starSnr }: Anew,
  { grain, sky }: Facts<"grain" | "sky">,
  shapes: readonly MoffatShape[],
  profiles: readonly Profile[],
  job: JobHandle,
): Promise<{ stars: PointStar[]; rest: Float32Array[]; alone: Float32Array }> {
  const { width, height } = region;
  const rest = region.planes.map((plane) => plane.slice());
  const sigmas = region.planes.map((plane, c) =>
    surroundings(plane, width, height, job.kernels).map((level) => sigmaAt(grain.models[c], level)),
  );
  const clipped = region.planes.map((_, c) => sky.level[c] + CLIPPED_SHARE * (sky.brightest[c] - sky.level[c]));
  // What may be clipped counts for nothing: such stars are told by their wings.
  const sigma = (c: number, i: number) => (region.planes[c][i] > clipped[c] ? UNTOLD * sigmas[c][i] : sigmas[c][i]);
  const fwhm = Math.sqrt(shapes[0].fwhmMajor * shapes[0].fwhmMinor);
  const { fwhmMajor, fwhmMinor, angle, beta } = shapes[0];
  const shape = { fwhmPx: fwhm, beta, ratio: fwhmMinor / fwhmMajor, angle };
  let stars: PointStar[] = [];
  for (let search = 0; search < SEARCHES; search++) {
    await job.breathe();
    // Heights above the sky: a level that is divided by an uneven σ would be uneven itself.
    const planes = rest.map((plane, c) => plane.map((v, i) => (v - sky.level[c]) / sigmas[c][i]));
    const even = rasterOf(width, height, planes);
    const found = pointsOf(componentsOf(even)[0], width, height, shape, grain.covariance[0], starSnr, job)
      .filter(({ x, y }) => stars.every((star) => Math.hypot(star.x - x, star.y - y) > 0.35 * fwhm))
      .map(({ x, y, significance, isWide }) => {
        const i = Math.round(y) * width + Math.round(x);
        return { x, y, isWide, heights: sigmas.map((of) => (significance * of[i]) / Math.sqrt(sigmas.length)) };
      });
    if (found.length === 0) break;
    drawStars(rest, width, height, found, profiles, -1);
    stars = solveStars(rest, width, height, [...stars, ...found], profiles, sigma, ROUNDS);
  }
  stars = splitStars(rest, width, height, stars, profiles, sigma, fwhm);
  const alone = new Float32Array(width * height);
  // What is wider than a star and not two of them is no star; a bright one of these, or one that the profile does not fit, is left as it was: the more the surer that is, so that nothing hangs on a hair.
  const oddOf = (star: PointStar): number => {
    const x = Math.min(width - 1, Math.max(0, Math.round(star.x)));
    const y = Math.min(height - 1, Math.max(0, Math.round(star.y)));
    const highest = star.heights.reduce((most, h, c) => Math.max(most, h / sigmas[c][y * width + x]), 0);
    const bright = rise(highest, ...BRIGHT_SIGMA);
    if (bright === 0) return 0;
    return bright * (star.isWide ? 1 : misfitOf(star, rest, region, fwhm, clipped));
  };
  const odd = stars.map((star) => ({ star, share: oddOf(star) })).filter(({ share }) => share > 0);
  const isNone = (star: PointStar) => star.isWide === true;
  drawStars(rest, width, height, stars.filter(isNone), profiles, 1);
  stars = stars.filter((star) => !isNone(star));
  const quiet = sigmas.map((of) => of.reduce((least, v) => Math.min(least, v), Infinity));
  for (const { star, share } of odd) {
    const height0 = Math.max(...star.heights.map((h, c) => h / (ALONE.sigma * quiet[c])));
    const radius = Math.min(ALONE.most, moffatRadius(shapes[0].fwhmMajor, shape.beta, height0)) + ALONE.soft / 2;
    drawDisc(alone, width, height, { x: star.x, y: star.y, radius, soft: ALONE.soft, degree: share });
  }
  for (const [c, plane] of rest.entries())
    evenUnderStars(plane, region.planes[c], alone, sigmas[c], width, height, job);
  return { stars, rest, alone };
}

/** How surely a star is not as the PSF says, or may be clipped: 0 … 1. */
function misfitOf(
  { x, y, heights }: PointStar,
  rest: readonly Float32Array[],
  { planes, width, height }: Raster,
  fwhm: number,
  clipped: readonly number[],
): number {
  const [cx, cy, reach] = [Math.round(x), Math.round(y), Math.ceil(fwhm)];
  const each = heights.map((h, c) => {
    const level = medianAround(rest[c], width, height, cx, cy, 3 * reach);
    let [square, count] = [0, 0];
    for (let v = Math.max(0, cy - reach); v <= Math.min(height - 1, cy + reach); v++)
      for (let u = Math.max(0, cx - reach); u <= Math.min(width - 1, cx + reach); u++) {
        const i = v * width + u;
        if (planes[c][i] > clipped[c]) return 1;
        square += (rest[c][i] - level) ** 2;
        count++;
      }
    return rise(Math.sqrt(square / count) / h, ...MOST_LEFT);
  });
  return Math.max(...each);
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
  let [sum, weight]: Float32Array[] = [rest.map((v, i) => v * trust[i] ** 2), trust.map((t) => t * t)];
  for (let j = 0; j < FILLS; j++)
    [sum, weight] = [sum, weight].map((plane) => job.kernels.starletSmooth(plane, width, height, j));
  for (let i = 0; i < rest.length; i++)
    if (trust[i] < 0.99 && weight[i] > 1e-6) rest[i] = trust[i] * rest[i] + (1 - trust[i]) * (sum[i] / weight[i]);
}

interface Found {
  x: number;
  y: number;
  significance: number;
  isWide: boolean;
}

/** Points in a plane of even noise that are as wide as a star, neither wider nor much narrower, and stand out of their surroundings too. */
function pointsOf(
  plane: Float32Array,
  width: number,
  height: number,
  shape: PointShape,
  noise: readonly number[],
  least: number,
  job: JobHandle,
): Found[] {
  const { kernels } = job;
  const shapes = [shape, { ...shape, fwhmPx: WIDER.by * shape.fwhmPx }, { fwhmPx: NARROWER.by * shape.fwhmPx, beta: 8 }]; // prettier-ignore
  const [own, wider, narrower] = shapes.map((of) => significanceOf(plane, width, height, of, noise, kernels));
  if (!own || !wider || !narrower) return [];
  const [toStar, widerToStar, narrowerToStar] = shapes.map((of) => answerTo(shape, of, noise));
  const [wide, narrow] = [widerToStar / toStar, narrowerToStar / toStar];
  let around: Float32Array = own.map((v) => Math.min(v * v, 9));
  for (let j = 0; j < 4; j++) around = kernels.starletSmooth(around, width, height, j);
  const points: Found[] = [];
  const edge = PEAKS_HALO;
  for (let y = edge; y < height - edge; y++)
    for (let x = edge; x < width - edge; x++) {
      const i = y * width + x;
      const answer = own[i];
      if (answer < least * Math.sqrt(Math.max(1, around[i])) || !isHighest(own, width, i)) continue;
      const most = answer > CLEAR.from ? CLEAR.most : WIDER.most;
      if (wider[i] > most * wide * answer || narrower[i] > NARROWER.most * narrow * answer) continue;
      points.push({ x, y, significance: answer, isWide: wider[i] > WIDER.most * wide * answer });
    }
  return points;
}
