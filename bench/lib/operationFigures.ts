// Figures of the operations against the simulated truth.
import type { ChainStep } from "@/core/chain";
import { measureChain, newStep, readySteps, runChain } from "@/core/chain";
import { findStars, fitMoffat, starShape } from "@/core/measure";
import { findOperation } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { frameOfRaster, meanPlane, robustSpread, wholeRegion } from "@/core/raster";
import type { Night } from "@/core/simulate";
import { job, kernels, medianOf, residualPlane, round, truthInReference } from "./truth";

export async function operationFigures(
  night: Night,
  stack: Raster,
  a: Raster,
  b: Raster,
  referenceIndex: number,
  fwhmPx: number,
  fill: number[],
) {
  const input = {
    picture: frameOfRaster(stack),
    halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
    fill,
    fullScale: 1,
  };
  const run = async (steps: ChainStep[]) => {
    const facts = await measureChain(input, steps, job);
    return runChain(input.picture, readySteps(steps, facts), wholeRegion(stack), fill, job);
  };
  const step = (id: string, params: Record<string, unknown>, channels?: ChainStep["channels"]): ChainStep => {
    const operation = findOperation(id);
    if (!operation) throw new RangeError(id);
    const made = newStep(operation);
    return { ...made, params: { ...made.params, ...params }, channels: channels ?? made.channels };
  };
  const truth = truthInReference(night, referenceIndex, fwhmPx);
  const noiseOf = (picture: Raster) =>
    robustSpread(residualPlane(meanPlane(picture), meanPlane(truth), stack.width)).sigma;
  const before = noiseOf(stack);
  const smooth = await run([step("noise.starlet", { strength: 0.5 })]);
  const starsBefore = findStars(meanPlane(stack), stack.width, stack.height, kernels, { threshold: 5 });
  const clear = starsBefore.filter(({ snr }) => snr > 8);
  // A star is lost when less than half of its height in the band of star-sized detail is left, or, where a brighter
  // neighbour's wings rule that band, when it is not found any more.
  const bandBefore = starBand(meanPlane(stack), stack.width, stack.height);
  const bandAfter = starBand(meanPlane(smooth), stack.width, stack.height);
  const kept = ({ x, y }: { x: number; y: number }) => {
    const i = Math.round(y) * stack.width + Math.round(x);
    return bandAfter[i] / bandBefore[i];
  };
  const foundAfter = findStars(meanPlane(smooth), stack.width, stack.height, kernels);
  const again = (s: { x: number; y: number }) => foundAfter.some((o) => Math.hypot(o.x - s.x, o.y - s.y) < 1.5);
  const beside = (s: (typeof clear)[number]) =>
    starsBefore.some((o) => o.flux > 3 * s.flux && Math.hypot(o.x - s.x, o.y - s.y) < 14);
  const lost = clear.filter((s) => (beside(s) ? !again(s) : kept(s) < 0.5));
  // The aperture's own noise limits how well a colour is known: below 3 % only from an SNR of about 150 on.
  const coloured = clear.filter(
    ({ saturated, snr, x, y }) =>
      !saturated && snr > 150 && x > 14 && y > 14 && x < stack.width - 15 && y < stack.height - 15,
  );
  const colourChange = coloured.map((s) => {
    const ratio = (picture: Raster) =>
      apertureSum(picture.planes[0], stack.width, s.x, s.y) / apertureSum(picture.planes[2], stack.width, s.x, s.y);
    return Math.abs(ratio(smooth) / ratio(stack) - 1);
  });
  const psnr = (picture: Raster, against: Raster) => {
    const p = meanPlane(picture);
    const t = meanPlane(against);
    let sum = 0;
    let n = 0;
    for (let i = 0; i < p.length; i++)
      if (p[i] === p[i] && t[i] < 0.3) {
        sum += (p[i] - t[i]) ** 2;
        n++;
      }
    return -10 * Math.log10(sum / n);
  };
  const sharp = await run([step("deconvolve.richardson-lucy", { iterations: 20 })]);
  const starless = meanPlane(truthInReference(night, referenceIndex, fwhmPx, false));
  const deconvolved = meanPlane(sharp);
  // The stack's level differs from the truth's by a smoothly varying amount; near each star it is taken from far around.
  const offset = (x: number, y: number) => {
    const differences: number[] = [];
    for (let dy = -20; dy <= 20; dy++)
      for (let dx = -20; dx <= 20; dx++) {
        const i = (Math.round(y) + dy) * stack.width + Math.round(x) + dx;
        if (Math.hypot(dx, dy) > 11 && i >= 0 && i < starless.length) differences.push(meanBefore[i] - starless[i]);
      }
    return medianOf(differences.filter((v) => v === v));
  };
  const meanBefore = meanPlane(stack);
  const rings = (s: { x: number; y: number; peak: number }) =>
    ringing(starless, deconvolved, stack.width, s.x, s.y, s.peak, offset(s.x, s.y));
  const isolated = starsBefore.filter(
    (s) =>
      s.fit &&
      s.snr > 200 &&
      s.peak < 0.5 &&
      !starsBefore.some((o) => o !== s && Math.hypot(o.x - s.x, o.y - s.y) < 14),
  );
  const ringDepths = isolated.map(rings);
  return {
    starlet: {
      noiseRatio: round(noiseOf(smooth) / before),
      starsAbove8: clear.length,
      lost: lost.length,
      lostAt: lost.slice(0, 5).map((s) => [Math.round(s.x), Math.round(s.y), round(s.snr, 3)]),
      colourChangeMedian: round(medianOf(colourChange)),
      heightKeptMedian: round(medianOf(clear.map(kept))),
      coloured: coloured.length,
      colourChangeWorst: round(Math.max(...colourChange)),
      psnrBefore: round(psnr(stack, truth)),
      psnrAfter: round(psnr(smooth, truth)),
    },
    richardsonLucy: {
      fwhmBefore: round(starShape(starsBefore).fwhmPx ?? NaN),
      fwhmAfter: round(starShape(findStars(meanPlane(sharp), stack.width, stack.height, kernels)).fwhmPx ?? NaN),
      fwhmSameStarsRatio: round(medianOf(isolated.flatMap((s) => fwhmRatio(stack, sharp, s.x, s.y)))),
      stars: isolated.length,
      ringingMedian: round(medianOf(ringDepths)),
      ringingWorst: round(Math.max(...ringDepths)),
      ringingAbove2Percent: ringDepths.filter((v) => v > 0.02).length,
    },
  };
}

/** Detail of the size of stars: B3 smoothings 1 less 3. */
function starBand(plane: Float32Array, width: number, height: number): Float32Array {
  const filled = plane.map((v) => (v === v ? v : 0));
  const c1 = kernels.starletSmooth(filled, width, height, 0);
  const c3 = kernels.starletSmooth(kernels.starletSmooth(c1, width, height, 1), width, height, 2);
  return c1.map((v, i) => v - c3[i]);
}

function apertureSum(plane: Float32Array, width: number, x: number, y: number): number {
  let sum = 0;
  const ring: number[] = [];
  const pixels: number[] = [];
  for (let dy = -9; dy <= 9; dy++)
    for (let dx = -9; dx <= 9; dx++) {
      const r = Math.hypot(dx, dy);
      const v = plane[(Math.round(y) + dy) * width + Math.round(x) + dx];
      if (r <= 3.5) pixels.push(v);
      else if (r >= 6) ring.push(v);
    }
  const level = medianOf(ring);
  for (const v of pixels) sum += v - level;
  return sum;
}

function fwhmRatio(before: Raster, after: Raster, x: number, y: number): number[] {
  const fit = (picture: Raster) => {
    const plane = meanPlane(picture);
    const peak = plane[Math.round(y) * picture.width + Math.round(x)];
    return fitMoffat(plane, picture.width, picture.height, x, y, 8, { peak, background: 0, fwhm: 3 }, kernels);
  };
  const [a, b] = [fit(before), fit(after)];
  return a && b ? [Math.sqrt((b.fwhmMajor * b.fwhmMinor) / (a.fwhmMajor * a.fwhmMinor))] : [];
}

/** Depth of the darkest ring of 1 px width between 2 and 9 px below what is there without the star, over the star's peak. */
function ringing(
  starless: Float32Array,
  after: Float32Array,
  width: number,
  x: number,
  y: number,
  peak: number,
  offset: number,
): number {
  const rings: number[][] = Array.from({ length: 8 }, () => []);
  for (let dy = -9; dy <= 9; dy++)
    for (let dx = -9; dx <= 9; dx++) {
      const i = (Math.round(y) + dy) * width + Math.round(x) + dx;
      const k = Math.floor(Math.hypot(dx, dy) - 2);
      if (k >= 0 && k < 8) rings[k].push(starless[i] + offset - after[i]);
    }
  return Math.max(0, ...rings.map((ring) => medianOf(ring) / peak));
}
