import type { ChainInput, NoiseLeft, ReadyStep } from "../../chain";
import { sigmaLeft } from "../../chain";
import type { JobHandle } from "../../job";
import type { PointShape } from "../../measure";
import { STARLET_NOISE } from "../../measure";
import type { Region } from "../../raster";
import { cropPlane, meanPlane, difference } from "../../raster";
import { heldOutBlocks, heldOutError } from "../heldOut";
import type { RingCorrelation } from "./fourierRingCorrelation";
import { fourierRingCorrelation } from "./fourierRingCorrelation";
import type { StarSupport } from "./stars";
import { starSupport } from "./stars";
import { bands } from "./bands";
import { SIGNIFICANT, supportMaps } from "./support";
import type { EvidenceViews, MadeOf, SupportViews } from "./views";
import { evidenceViews, supportViews } from "./views";

/** Starlet scales at which noise is measured: 1 … 16 px. */
export const EVIDENCE_SCALES = 5;

/** What the halves say of the light and the stars that a chain shows at a place. */
export interface Support {
  region: Region;
  /** Whether the lane was blurred again to be held against the stack. */
  isBlurred: boolean;
  /** Share of the pixels at which the lane shows light that the data do not carry, and lacks light that they do; NaN where that is not known. */
  unsupportedShare: number;
  lostShare: number;
  /** The maps, in σ: one plane each, of the size of the region. */
  unsupported: Float32Array;
  lost: Float32Array;
  stars: StarSupport[];
}

/** All that the halves say of what a chain makes of a place. */
/** Side of the square around a spot of which evidence and all measures are taken, px. */
export const EVIDENCE_SIDE = 192;

export interface Evidence extends Support {
  /** σ of the noise by starlet scale, over what white noise of σ 1 has there: in the stack, and what is left of it in the lane. */
  noise: { before: number[]; left: number[] };
  /** Error of the lane against what was held out of it, in σ of the stack's noise: noise that is left and detail that was lost, together; null after a stretch, and for a chain that takes blur away. */
  error: number | null;
  /** What the chain took away: its σ over that of the noise by scale, and how far it goes with the picture (−1 … 1). */
  removed: { scales: number[]; correlation: number };
  rings: RingCorrelation | null;
}

/**
 * Evidence for a region; the steps with the facts of the whole stack; `shape` is that of the stack's stars, null where there are none. Null without halves. All of it of the light (mean of the channels). Places of stars are px of the picture.
 */
export async function evidenceOf(
  input: ChainInput,
  steps: readonly ReadyStep[],
  region: Region,
  shape: PointShape | null,
  job: JobHandle,
  made?: MadeOf,
): Promise<Evidence | null> {
  if (!input.halves) return null;
  const views = await evidenceViews(input, steps, region, job, made);
  await job.breathe();
  return evidenceFrom(views, region, shape, job);
}

/** What a chain's first two runs say: its light and its stars. `made` as for all evidence. Null without halves. */
export async function supportOf(
  input: ChainInput,
  steps: readonly ReadyStep[],
  region: Region,
  shape: PointShape | null,
  job: JobHandle,
  made?: MadeOf,
): Promise<Support | null> {
  const views = await supportViews(input, steps, region, job, made);
  if (!views) return null;
  await job.breathe();
  return supportFrom(views, region, shape, job);
}

/** Light and stars from views of that region. */
function supportFrom(views: SupportViews, region: Region, shape: PointShape | null, job: JobHandle): Support | null {
  const maps = supportMaps(views, job);
  if (!maps) return null;
  const { inside, tolerance } = views;
  const cut = (plane: Float32Array) => cropPlane(plane, views.width, inside);
  const [unsupported, lost] = [cut(maps.unsupported), cut(maps.lost)];
  const [dx, dy] = [region.x - inside.x, region.y - inside.y];
  return {
    region,
    isBlurred: tolerance > 0,
    unsupportedShare: significantShare(unsupported),
    lostShare: significantShare(lost),
    unsupported,
    lost,
    stars: (shape ? starSupport(views, shape, job) : []).map((star) => ({ ...star, x: star.x + dx, y: star.y + dy })),
  };
}

/** Share of a map, in σ, that is significant; NaN for an empty map, and for one with places of which nothing is known. */
export function significantShare(map: Float32Array): number {
  let count = 0;
  for (const v of map) count += v > SIGNIFICANT ? 1 : v === v ? 0 : NaN;
  return count / map.length;
}

/** All evidence from views of that region. */
export function evidenceFrom(
  views: EvidenceViews,
  region: Region,
  shape: PointShape | null,
  job: JobHandle,
): Evidence | null {
  const support = supportFrom(views, region, shape, job);
  const { remaining } = views;
  if (!support || !views.noise || !remaining) return null;
  job.progress(0.9);
  const sigmas = (plane: Float32Array) => scaleSigmas(plane, views, job);
  const before = sigmas(views.noise);
  const missing = difference(views.before, views.told);
  return {
    ...support,
    noise: { before, left: leftByScale(remaining, sigmas) },
    error: errorOf(views, job),
    removed: { scales: sigmas(missing).map((v, j) => v / before[j]), correlation: goesWith(missing, views, job) },
    rings: fourierRingCorrelation(views),
  };
}

function leftByScale(remaining: NoiseLeft, sigmas: (plane: Float32Array) => number[]): number[] {
  const [halves, disturbed] = [remaining.halves, remaining.disturbed].map((noise) => ({
    noise,
    of: sigmas(meanPlane(noise)),
  }));
  return halves.of.map((_, j) => sigmaLeft(remaining, (noise) => (noise === halves.noise ? halves : disturbed).of[j]));
}

/** σ by scale, clipped at 5 σ, over that of white noise of σ 1; only variances of what shrinkage leaves add up, so not by the median. */
function scaleSigmas(plane: Float32Array, { width, height, inside }: EvidenceViews, job: JobHandle): number[] {
  return bands(plane, width, height, job, EVIDENCE_SCALES).map(
    (band, j) => job.kernels.clippedMean(cropPlane(band, width, inside), 5).sigma / STARLET_NOISE[j],
  );
}

/** Error against what was held out, in σ; null after a stretch and for a chain that takes blur away. */
function errorOf(
  { isLinear, tolerance, noise, disturbed, before, width, inside }: EvidenceViews,
  job: JobHandle,
): number | null {
  if (!isLinear || tolerance > 0 || !noise || !disturbed) return null;
  return heldOutError([heldOutBlocks({ before, noise, ...disturbed }, width, inside, job)]);
}

/** Correlation of what was taken away with what is shown, over the finer scales, each over its noise and clipped at 5 σ. */
function goesWith(
  missing: Float32Array,
  { told, noise, width, height, inside }: EvidenceViews,
  job: JobHandle,
): number {
  const [r, x, d] = [missing, told, noise ?? missing].map((plane) => bands(plane, width, height, job));
  let [both, ofR, ofX] = [0, 0, 0];
  r.forEach((band, j) => {
    const { sigma } = job.kernels.clippedMean(d[j], 5);
    const clip = (v: number) => Math.max(-5, Math.min(5, v / (sigma || 1)));
    for (let y = inside.y; y < inside.y + inside.height; y++)
      for (let i = y * width + inside.x; i < y * width + inside.x + inside.width; i++) {
        const [p, q] = [clip(band[i]), clip(x[j][i])];
        both += p * q;
        ofR += p * p;
        ofX += q * q;
      }
  });
  return ofR > 0 && ofX > 0 ? both / Math.sqrt(ofR * ofX) : 0;
}
