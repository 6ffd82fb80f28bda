import type { ChainInput, ReadyStep } from "../../chain";
import { localVariance } from "../../chain";
import type { JobHandle } from "../../job";
import type { PointShape } from "../../measure";
import { STARLET_NOISE } from "../../measure";
import type { Region } from "../../raster";
import { clippedMean, cropRaster, rasterOf } from "../../raster";
import type { RingCorrelation } from "./rings";
import { ringCorrelation } from "./rings";
import type { StarSupport } from "./stars";
import { starSupport } from "./stars";
import { bands } from "./bands";
import { SIGNIFICANT, supportMaps } from "./support";
import type { EvidenceViews } from "./views";
import { DISTURBED, evidenceViews } from "./views";

/** Starlet scales at which noise is told: 1 … 16 px. */
export const EVIDENCE_SCALES = 5;

/** What the halves say of what a chain makes of a place. */
export interface Evidence {
  region: Region;
  /** Whether the lane was blurred again to be held against the stack. */
  isBlurred: boolean;
  /** σ of the noise by starlet scale, over what white noise of σ 1 has there: in the stack, and what is left of it in the lane. */
  noise: { before: number[]; left: number[] };
  /** Error of the lane against what was held out of it, in σ of the stack's noise: noise that is left and detail that was lost, together; null after a stretch, and for a chain that takes blur away. */
  error: number | null;
  /** What the chain took away: its σ over that of the noise by scale, and how far it goes with the picture (−1 … 1). */
  removed: { scales: number[]; correlation: number };
  /** Share of the pixels at which the lane shows light that the data do not carry, and lacks light that they do. */
  unsupportedShare: number;
  lostShare: number;
  /** The maps, in σ: one plane each, of the size of the region. */
  unsupported: Float32Array;
  lost: Float32Array;
  stars: StarSupport[];
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
): Promise<Evidence | null> {
  if (!input.halves) return null;
  const views = await evidenceViews(input, steps, region, job);
  await job.breathe();
  return evidenceFrom(views, region, shape, job);
}

/** The same from views of that region. */
export function evidenceFrom(
  views: EvidenceViews,
  region: Region,
  shape: PointShape | null,
  job: JobHandle,
): Evidence | null {
  const maps = supportMaps(views, job);
  if (!maps || !views.noise || !views.left) return null;
  job.progress(0.9);
  const { inside } = views;
  const cut = (plane: Float32Array) => cropRaster(rasterOf(views.width, views.height, [plane]), inside).planes[0];
  const [unsupported, lost] = [cut(maps.unsupported), cut(maps.lost)];
  const share = (map: Float32Array) => map.reduce((n, v) => n + (v > SIGNIFICANT ? 1 : 0), 0) / map.length;
  const sigmas = (plane: Float32Array) => scaleSigmas(plane, views, job);
  const before = sigmas(views.noise);
  const missing = views.before.map((v, i) => v - views.told[i]);
  const [dx, dy] = [region.x - inside.x, region.y - inside.y];
  return {
    region,
    isBlurred: views.isBlurred,
    noise: { before, left: sigmas(views.left) },
    error: heldOutError(views, job),
    removed: { scales: sigmas(missing).map((v, j) => v / before[j]), correlation: goesWith(missing, views, job) },
    unsupportedShare: share(unsupported),
    lostShare: share(lost),
    ...{ unsupported, lost },
    stars: (shape ? starSupport(views, shape, job) : []).map((star) => ({ ...star, x: star.x + dx, y: star.y + dy })),
    rings: ringCorrelation(views),
  };
}

/** σ by scale, clipped at 5 σ, over that of white noise of σ 1; only variances of what shrinkage leaves add up, so not by the median. */
function scaleSigmas(plane: Float32Array, { width, height, inside }: EvidenceViews, job: JobHandle): number[] {
  return bands(plane, width, height, job, EVIDENCE_SCALES).map(
    (band, j) => clippedMean(cropRaster(rasterOf(width, height, [band]), inside).planes[0], 5).sigma / STARLET_NOISE[j],
  );
}

/**
 * √ of the mean over the place of ((D(z + αn) − z + n/α)² − (1/α + α)² n²)/v + (1 + α²), and the same for −n: the noise of z − n/α is independent of that of z + αn. Source: as strengthCurve (core/chain/strength.ts).
 */
function heldOutError(views: EvidenceViews, job: JobHandle): number | null {
  const { isLinear, isBlurred, noise, disturbed, before, width, height, inside } = views;
  if (!isLinear || isBlurred || !noise || !disturbed) return null;
  const [variance] = localVariance(rasterOf(width, height, [noise]), job);
  let sum = 0;
  for (const [sign, treated] of [
    [1, disturbed.plus],
    [-1, disturbed.minus],
  ] as const)
    for (let y = inside.y; y < inside.y + inside.height; y++)
      for (let x = inside.x; x < inside.x + inside.width; x++) {
        const i = y * width + x;
        const n = sign * noise[i];
        const apart = treated[i] - before[i] + n / DISTURBED;
        const untouched = (1 / DISTURBED + DISTURBED) * n;
        sum += (apart * apart - untouched * untouched) / variance[i];
      }
  return Math.sqrt(Math.max(0, 1 + DISTURBED ** 2 + sum / (2 * inside.width * inside.height)));
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
    const { sigma } = clippedMean(d[j], 5);
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
