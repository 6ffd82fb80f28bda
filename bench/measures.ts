// Every measure of the bench against the simulated truth: what it says of a chain, from one stack and its halves, beside what the truth says, over several nights.
// Usage: npm run -s bench -- measures [seed …]; a table for docs/methods/.
import type { ReadyStep } from "@/core/chain";
import { localVariance, measureChain, newStep, readySteps } from "@/core/chain";
import type { EvidenceViews } from "@/core/compare/evidence";
import { evidenceFrom, evidenceViews } from "@/core/compare/evidence";
import type { LaneMeasures, Measured } from "@/core/compare/measures";
import { MEASURES, measureLane } from "@/core/compare/measures";
import { edgeWidth } from "@/core/compare/measures/edgeWidth";
import { findStars } from "@/core/measure";
import { findOperation } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { cropRaster, frameOfRaster, halfDifference, meanPlane, rasterOf } from "@/core/raster";
import { noisy, SHAPE, skyNight } from "./lib/skyNight";
import { job, medianOf } from "./lib/truth";

const PLACE = { x: 96, y: 96, width: 256, height: 256 };
const CHAINS: Record<string, [string, object][]> = {
  untouched: [],
  Gaussian: [["noise.gaussian", {}]],
  mixture: [["noise.mixture", {}]],
  "non-local means": [["noise.non-local-means", {}]],
  "Richardson–Lucy": [["deconvolve.richardson-lucy", {}]],
  "stars apart": [["deconvolve.stars-apart", {}]],
};

/** Values by measure, told and true, of all chains and seeds. */
const found = new Map<string, { told: number[]; real: number[] }>();

/**
 * What the truth says: the measures' own formulas with other nights' noise in place of what the
 * halves show of it, and the truth in place of the halves.
 */
async function real(
  steps: readonly ReadyStep[],
  night: { whole: Raster; truth: Raster; more: Raster[]; halves: { a: Raster; b: Raster } },
): Promise<LaneMeasures> {
  const input = (picture: Raster, halves: { a: Raster; b: Raster } | null = null) => ({
    picture: frameOfRaster(picture),
    halves: halves && { a: frameOfRaster(halves.a), b: frameOfRaster(halves.b) },
    fill: [0, 0, 0],
    fullScale: 1,
  });
  const own = await evidenceViews(input(night.whole, night.halves), steps, PLACE, job);
  const others = await Promise.all(night.more.map((raster) => evidenceViews(input(raster), steps, PLACE, job)));
  const clean = await evidenceViews(input(night.truth), steps, PLACE, job);
  // Two nights' difference over √2: noise of one night, before and after.
  const apart = (a: Float32Array, b: Float32Array) => a.map((v, i) => (v - b[i]) / Math.SQRT2);
  const left = apart(others[0].after, others[1].after);
  const noise = apart(others[0].before, others[1].before);
  const ofChannels = halfDifference(others[0].pictures.after, others[1].pictures.after);
  const scaled = { ...ofChannels, planes: ofChannels.planes.map((plane) => plane.map((v) => v * Math.SQRT2)) };
  const views: EvidenceViews = {
    ...own,
    noise,
    left,
    remaining: { halves: scaled, disturbed: scaled, weight: null },
  };
  const evidence = evidenceFrom(own, PLACE, SHAPE, job);
  const ofNights = evidenceFrom(views, PLACE, SHAPE, job);
  const of = { views, evidence: ofNights, job, after: null, skyLevel: null } as unknown as Measured;
  const value = (id: string, given: Measured = of): number | null =>
    MEASURES.find((one) => one.id === id)?.valueOf(given) ?? null;
  const detail = value("detail", {
    ...of,
    views: {
      ...own,
      halves: { a: clean.before, b: clean.before },
      treatedHalves: { a: own.after, b: own.after },
    },
  });
  // Of the lane that was disturbed as the held-out error takes it.
  const values: LaneMeasures = {
    ...Object.fromEntries(
      ["noise", "noiseDb", "noise.red", "noise.green", "noise.blue", "mottle", "evenness"].map((id) => [id, value(id)]),
    ),
    detail,
    error: own.tolerance ? null : errorOf(own, clean.before),
  };
  if (evidence) Object.assign(values, starsOf(evidence.stars));
  return values;
}

/** What has no noise to tell: the same measures of the same chain on the sky with hardly any noise (a twentieth, so that there are stars to be found at all). */
async function withoutNoise(
  steps: readonly ReadyStep[],
  { truth, whole }: { truth: Raster; whole: Raster },
  seed: number,
): Promise<LaneMeasures> {
  const input = (raster: Raster) => ({
    picture: frameOfRaster(raster),
    halves: null,
    fill: [0, 0, 0],
    fullScale: 1,
  });
  const quiet = input(noisy(truth, 0.05, seed + 5));
  const told = await measureLane(quiet, steps, PLACE, { shape: SHAPE, skyLevel: 0 }, job);
  // Of the edges that the noisy stack shows: with less noise there are others, and softer ones.
  const { pictures, inside } = await evidenceViews(quiet, steps, PLACE, job);
  const before = await frameOfRaster(whole).read(PLACE);
  const starsBefore = findStars(meanPlane(before), PLACE.width, PLACE.height, job.kernels);
  const of = { before, after: cropRaster(pictures.after, inside), starsBefore, fwhmPx: SHAPE.fwhmPx, job };
  return {
    ...Object.fromEntries(["fwhm", "eccentricity", "starColour", "ringing", "clipped"].map((id) => [id, told[id]])),
    edge: edgeWidth.valueOf(of as unknown as Measured),
  };
}

/** √ mean((D(z + αn) − truth)²/v), v the variance of the noise about a pixel, as the held-out error has it. */
function errorOf({ disturbed, noise, inside, width, height }: EvidenceViews, truth: Float32Array): number | null {
  if (!disturbed || !noise) return null;
  const [variance] = localVariance(rasterOf(width, height, [noise]), job);
  let sum = 0;
  for (let y = inside.y; y < inside.y + inside.height; y++)
    for (let x = inside.x; x < inside.x + inside.width; x++) {
      const i = y * width + x;
      sum += ((disturbed.plus[i] - truth[i]) ** 2 + (disturbed.minus[i] - truth[i]) ** 2) / 2 / variance[i];
    }
  return Math.sqrt(sum / inside.width / inside.height);
}

/** Stars that the lane is said to show rightly, wrongly, or to have lost: those of which the sky says the same. */
function starsOf(told: readonly { x: number; y: number; standing: string }[]): Record<string, number> {
  const places = skyStars.filter(({ flux }) => flux > 0);
  const isThere = ({ x, y }: { x: number; y: number }) =>
    places.some((star) => Math.hypot(star.x - x, star.y - y) < 1.5);
  const of = (standing: string, isRight: (star: { x: number; y: number }) => boolean) =>
    told.filter((star) => star.standing === standing && isRight(star)).length;
  return {
    "stars.kept": of("kept", isThere),
    "stars.notInData": of("notInData", (star) => !isThere(star)),
    "stars.lost": of("lost", isThere),
  };
}

let skyStars: { x: number; y: number; flux: number }[] = [];
const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17];
for (const seed of seeds) {
  const { night, truth, halves, whole, more } = skyNight(seed);
  skyStars = night.sky.stars.map(({ x, y, flux }) => ({ x, y, flux: flux[1] }));
  for (const [name, wanted] of Object.entries(CHAINS)) {
    const steps = wanted.map(([id, params]) => {
      const operation = findOperation(id);
      if (!operation) throw new Error(id);
      const fresh = newStep(operation);
      return { ...fresh, params: { ...fresh.params, ...params } };
    });
    const input = {
      picture: frameOfRaster(whole),
      halves: { a: frameOfRaster(halves.a), b: frameOfRaster(halves.b) },
      fill: [0, 0, 0],
      fullScale: 1,
    };
    const ready = readySteps(steps, await measureChain(input, steps, job));
    const told = await measureLane(input, ready, PLACE, { shape: SHAPE, skyLevel: 0 }, job);
    const expected = {
      ...(await real(ready, { whole, truth, more, halves })),
      ...(await withoutNoise(ready, { truth, whole }, seed)),
    };
    for (const [id, value] of Object.entries(expected)) {
      const given = told[id];
      if (value === null || given === null || given === undefined) continue;
      const key = `${id}|${name}`;
      const entry = found.get(key) ?? { told: [], real: [] };
      entry.told.push(given);
      entry.real.push(value);
      found.set(key, entry);
    }
  }
}

console.log("| measure | chain | told | true | apart |\n| --- | --- | --- | --- | --- |");
for (const [key, { told, real: truths }] of found) {
  const [id, chain] = key.split("|");
  const [a, b] = [medianOf(told), medianOf(truths)];
  const apart = ["noiseDb"].includes(id)
    ? `${(a - b).toFixed(1)} dB`
    : id.startsWith("stars")
      ? `${a - b}`
      : `${(100 * (a / b - 1)).toFixed(1)} %`;
  console.log(`| ${id} | ${chain} | ${a.toPrecision(3)} | ${b.toPrecision(3)} | ${apart} |`);
}
