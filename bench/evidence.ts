// Figures against the simulated truth: makes a night, stacks it through the engine, runs the operations, and prints one JSON
// object with every figure that the first slice must show. Usage: npm run -s bench -- evidence [seed] [size] [subs]
import { availableParallelism } from "node:os";
import { bytesOfArray, openFits, valueOf } from "@/core/formats";
import { findStars, moffatAlpha, roundPsf } from "@/core/measure";
import type { Raster } from "@/core/raster";
import { meanPlane, medianInPlace, quantile, robustSpread, wholeRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { mapPoint, compose, inverse, resamplingNoiseGain } from "@/core/register";
import type { Night } from "@/core/simulate";
import { createNight, subFile, subFileName } from "@/core/simulate";
import type { SubFacts } from "@/core/stack";
import { stackSettings } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import { createNodePool } from "@/engine/node/pool";
import { makeStack } from "@/engine/jobs/stack";
import { operationFigures } from "./lib/operationFigures";
import { beside, kernels, medianOf, residualPlane, round, truthInReference } from "./lib/truth";

async function rasterOfBlob(name: string, blob: Blob): Promise<Raster> {
  const frame = valueOf(await openFits(bytesOfArray(name, new Uint8Array(await blob.arrayBuffer()))));
  return frame.read(wholeRegion(frame));
}

async function main(seed: number, size: number, subs: number) {
  const started = Date.now();
  const night = createNight({ subs, seed, width: size, height: size });
  const pool = createNodePool(
    { worker: beside("worker.mjs"), kernels: beside("kernels.wasm"), assets: beside("assets") },
    Math.max(1, availableParallelism()),
  );
  const frames = new Map<string, FrameRef>();
  const facts: SubFacts[] = [];
  for (const { index } of night.subs) {
    const name = subFileName(index);
    const frame: FrameRef = {
      id: name,
      name,
      kind: "blob",
      blob: new Blob([subFile(night, index, kernels) as BlobPart]),
    };
    const { width, height, channels, measures, stars } = await pool.run("measureSub", { frame });
    frames.set(name, frame);
    facts.push({ id: name, name, width, height, channels, exposureS: night.camera.exposureS, measures, stars });
  }
  const settings = stackSettings.parse({});
  const made = await makeStack(pool, { subs: facts, frames, settings }, { onProgress: () => undefined });
  const unclipped = await makeStack(
    pool,
    { subs: facts, frames, settings: { ...settings, reject: "none" } },
    { onProgress: () => undefined },
  );
  pool.close();
  const stack = await rasterOfBlob("stack", made.mean);
  const halfA = await rasterOfBlob("a", made.a);
  const halfB = await rasterOfBlob("b", made.b);
  const { plan, report } = made;
  const indexOf = (id: string) => night.subs.findIndex(({ index }) => subFileName(index) === id);
  const referenceIndex = indexOf(plan.referenceId);
  const reference = night.subs[referenceIndex];

  // Registration: distance between the found and the true transform over a grid of the frame.
  const errors = plan.used
    .filter(({ id }) => id !== plan.referenceId)
    .map(({ id, toReference }) => {
      const truth = compose(reference.skyToSub, inverse(night.subs[indexOf(id)].skyToSub));
      return meanDistance(truth, toReference, size);
    });

  // Noise: the optimal weighted limit from the simulator's own electrons, where there is only sky.
  const noise = stack.planes.map((_, c) => {
    const weights: number[] = [];
    const variances: number[] = [];
    plan.used.forEach((sub) => {
      const { skyE, transmission } = night.subs[indexOf(sub.id)];
      const scale = reference.transmission / transmission;
      const electrons = skyE[c] + night.camera.readNoiseE ** 2 + medianGlow(night, c) * transmission;
      const sigma =
        (scale * Math.sqrt(electrons + night.camera.electronsPerAdu ** 2 / 12)) / night.camera.electronsPerAdu / 65535;
      weights.push(1 / sigma ** 2);
      variances.push(
        (sigma * resamplingNoiseGain(sub.toReference, { width: size, height: size }, settings.resampling)) ** 2,
      );
    });
    const total = weights.reduce((a, b) => a + b, 0);
    const whiteLimit = 1 / Math.sqrt(total);
    const withResampling = Math.sqrt(weights.reduce((sum, w, i) => sum + w ** 2 * variances[i], 0)) / total;
    const truth = truthInReference(night, referenceIndex, report.fwhmPx ?? 3).planes[c];
    const quiet = quietMask(truth);
    const only = (plane: Float32Array) => plane.filter((_v, i) => quiet[i]);
    const residual = robustSpread(only(residualPlane(stack.planes[c], truth, size))).sigma;
    return {
      limitPerPixelAdu: round(withResampling * 65535),
      limitWhiteAdu: round(whiteLimit * 65535),
      trueNoiseAdu: round(residual * 65535),
      overLimit: round(residual / withResampling),
      fromHalvesAdu: round((report.noise[c].fromHalves ?? NaN) * 65535),
      halvesOverTrue: round((report.noise[c].fromHalves ?? NaN) / residual),
    };
  });

  const white = noise.map(({ limitWhiteAdu }) => limitWhiteAdu / 65535);
  const stars = starFigures(night, stack, referenceIndex, white, report.fwhmPx ?? 3);
  const outliers = await outlierFigures(
    night,
    stack,
    plan.used.map(({ id }) => indexOf(id)),
    referenceIndex,
    report,
    await rasterOfBlob("u", unclipped.mean),
  );
  const operations = await operationFigures(
    night,
    stack,
    halfA,
    halfB,
    referenceIndex,
    report.fwhmPx ?? 3,
    made.facts.fill,
  );
  return {
    seed,
    size,
    subs,
    used: plan.used.length,
    leftOut: plan.leftOut,
    registrationMedianPx: round(medianOf(errors)),
    registrationWorstPx: round(Math.max(...errors)),
    noise,
    expectedGain: round(report.noise[1].expectedGain ?? NaN),
    measuredGain: round(report.noise[1].measuredGain ?? NaN),
    fwhmStack: round(report.fwhmPx ?? NaN),
    fwhmMedianSub: round(report.medianSubFwhmPx ?? NaN),
    fwhmExpectedRatio: round(
      expectedFwhmRatio(
        night,
        plan.used.map((sub) => ({ index: indexOf(sub.id), weight: sub.weight[1] })),
      ),
    ),
    fwhmRatio: round((report.fwhmPx ?? NaN) / (report.medianSubFwhmPx ?? NaN)),
    stars,
    outliers,
    operations,
    stackSeconds: report.seconds,
    seconds: (Date.now() - started) / 1000,
  };
}

/**
 * FWHM of the weighted mean of the subs' own profiles over that of the median sub, both from the simulator: a mean of sharp
 * and blurred stars is sharper than the median, since the sharp ones stand higher.
 */
function expectedFwhmRatio(night: Night, used: { index: number; weight: number }[]): number {
  const { beta } = night.camera;
  const widths = used.map(({ index }) => night.subs[index].fwhmPx);
  const profile = (r: number) =>
    used.reduce((sum, { weight }, k) => {
      const alpha = moffatAlpha(widths[k], beta);
      return sum + (weight / alpha ** 2) * (1 + (r / alpha) ** 2) ** -beta;
    }, 0);
  let r = 0;
  while (profile(r) > profile(0) / 2) r += 0.001;
  return (2 * r) / medianOf(widths);
}

/** The darker 60 % of the truth: where there is only sky, which is what the limit is computed for. */
function quietMask(truth: Float32Array): boolean[] {
  const limit = quantile(truth, 0.6);
  return Array.from(truth, (v) => v < limit);
}

function meanDistance(a: Warp, b: Warp, size: number): number {
  const distances: number[] = [];
  for (let y = 0; y <= 4; y++)
    for (let x = 0; x <= 4; x++) {
      const [px, py] = [(x * (size - 1)) / 4, (y * (size - 1)) / 4];
      const p = mapPoint(a, px, py);
      const q = mapPoint(b, px, py);
      distances.push(Math.hypot(p[0] - q[0], p[1] - q[1]));
    }
  return medianOf(distances);
}

function medianGlow(night: Night, c: number): number {
  return medianInPlace(night.sky.glow.planes[c].slice());
}

/**
 * Completeness against the simulator's list. SNR is that of optimal photometry on the mean of the channels: flux √Σ P² / σ,
 * with the stack's own FWHM and the white-noise limit of the stack (pixel noise after resampling is correlated and lower).
 */
function starFigures(night: Night, stack: Raster, referenceIndex: number, whiteNoise: number[], fwhmPx: number) {
  const { skyToSub, transmission } = night.subs[referenceIndex];
  const psf = roundPsf(fwhmPx, night.camera.beta);
  const sharpness = Math.sqrt(psf.values.reduce((sum, v) => sum + v * v, 0));
  const adu = night.camera.electronsPerAdu * 65535;
  const sigma = Math.hypot(...whiteNoise) / whiteNoise.length;
  // On bright gas its photons add to the noise: σ grows by √((sky + gas + read noise²) / (sky + read noise²)).
  const starless = meanPlane(truthInReference(night, referenceIndex, fwhmPx, false));
  const { skyE } = night.subs[referenceIndex];
  const quietE = (skyE[0] + skyE[1] + skyE[2]) / 3 + night.camera.readNoiseE ** 2;
  const brighter = (x: number, y: number) => {
    const i = Math.min(stack.height - 1, Math.max(0, Math.round(y))) * stack.width;
    const level = starless[i + Math.min(stack.width - 1, Math.max(0, Math.round(x)))];
    const electrons = (level * 65535 - night.camera.pedestalAdu) * night.camera.electronsPerAdu;
    return Math.sqrt(Math.max(1, (electrons + night.camera.readNoiseE ** 2) / quietE));
  };
  const all = night.sky.stars.map((star) => {
    const [x, y] = mapPoint(skyToSub, star.x, star.y);
    const flux = ((star.flux[0] + star.flux[1] + star.flux[2]) / 3) * (transmission / adu);
    return { x, y, flux, snr: (flux * sharpness) / (sigma * brighter(x, y)) };
  });
  // The galaxy is neither a star nor a false one: its surroundings do not count.
  const galaxy = mapPoint(skyToSub, night.sky.width * 0.17, night.sky.height * 0.3);
  const counts = ({ x, y }: { x: number; y: number }) =>
    x > 12 && y > 12 && x < stack.width - 13 && y < stack.height - 13 && Math.hypot(x - galaxy[0], y - galaxy[1]) > 60;
  const inside = all.filter(counts);
  // Two stars closer than one FWHM are one source to any detector; the brighter stands for both.
  const sources = inside.filter(
    (s) => !inside.some((o) => o !== s && o.flux > s.flux && Math.hypot(o.x - s.x, o.y - s.y) < fwhmPx),
  );
  const found = findStars(meanPlane(stack), stack.width, stack.height, kernels).filter(counts);
  const wanted = sources.filter(({ snr }) => snr > 10);
  const hit = wanted.filter((s) => found.some((f) => Math.hypot(f.x - s.x, f.y - s.y) < 2));
  const real = found.filter((f) => all.some((s) => s.snr > 2 && Math.hypot(f.x - s.x, f.y - s.y) < 2.5));
  const errors = wanted
    .filter(({ snr }) => snr > 20)
    .flatMap((s) =>
      found.filter((f) => Math.hypot(f.x - s.x, f.y - s.y) < 1).map((f) => Math.hypot(f.x - s.x, f.y - s.y)),
    );
  return {
    wanted: wanted.length,
    found: hit.length,
    completeness: round(hit.length / wanted.length),
    detections: found.length,
    falseShare: round(1 - real.length / found.length),
    falseAt: found
      .filter((f) => !real.includes(f))
      .slice(0, 8)
      .map((f) => [Math.round(f.x), Math.round(f.y), round(f.snr, 3)]),
    missedAt: wanted
      .filter((s) => !hit.includes(s))
      .slice(0, 8)
      .map((s) => [Math.round(s.x), Math.round(s.y), round(s.snr, 3)]),
    medianPositionErrorPx: round(medianOf(errors)),
  };
}

/** What is left of the trail and of cosmic-ray hits in the stack, against a stack of the same subs' clean light. */
async function outlierFigures(
  night: Night,
  stack: Raster,
  used: number[],
  referenceIndex: number,
  report: { noise: { fromHalves: number | null }[]; fwhmPx: number | null },
  unclipped: Raster,
) {
  const trailed = night.subs.find(({ trail, index }) => trail && used.includes(index));
  if (!trailed?.trail) return null;
  const toReference = compose(night.subs[referenceIndex].skyToSub, inverse(trailed.skyToSub));
  const [x0, y0] = mapPoint(toReference, trailed.trail.x0, trailed.trail.y0);
  const [x1, y1] = mapPoint(toReference, trailed.trail.x1, trailed.trail.y1);
  const truth = truthInReference(night, referenceIndex, report.fwhmPx ?? 3);
  const length = Math.hypot(x1 - x0, y1 - y0);
  const sigma = report.noise[1].fromHalves ?? NaN;
  const excess = (picture: Raster) => {
    const residual = residualPlane(picture.planes[1], truth.planes[1], picture.width);
    const on: number[] = [];
    const beside: number[] = [];
    for (let y = 8; y < picture.height - 8; y++)
      for (let x = 8; x < picture.width - 8; x++) {
        const d = Math.abs(((x - x0) * -(y1 - y0) + (y - y0) * (x1 - x0)) / length);
        const v = residual[y * picture.width + x];
        if (d < 2) on.push(v);
        else if (d > 12 && d < 20) beside.push(v);
      }
    return (medianOf(on) - medianOf(beside)) / sigma;
  };
  return {
    trailExcessSigma: round(excess(stack)),
    trailWithoutRejectionSigma: round(excess(unclipped)),
    ...hitFigures(stack, unclipped, sigma),
  };
}

/**
 * Hits show as pixels where the unclipped stack rises above the clipped one by many σ. At those places the clipped stack is
 * compared with the median of its 5 × 5 neighbourhood.
 */
function hitFigures(stack: Raster, unclipped: Raster, sigma: number) {
  const plane = stack.planes[1];
  const other = unclipped.planes[1];
  const rest: number[] = [];
  for (let y = 8; y < stack.height - 8; y++)
    for (let x = 8; x < stack.width - 8; x++) {
      const i = y * stack.width + x;
      if (!(other[i] - plane[i] > 5 * sigma)) continue;
      const around: number[] = [];
      for (let dy = -2; dy <= 2; dy++) for (let dx = -2; dx <= 2; dx++) around.push(plane[i + dy * stack.width + dx]);
      rest.push((plane[i] - medianOf(around)) / sigma);
    }
  return { hitPixels: rest.length, hitMedianExcessSigma: round(medianOf(rest)) };
}

const [seed = 7, size = 1024, subs = 24] = process.argv.slice(2).map(Number);
process.stdout.write(`${JSON.stringify(await main(seed, size, subs), null, 1)}\n`);
