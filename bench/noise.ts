// Every approach to noise against the simulated truth: at its defaults and at three quarters and half of its strength, with few, some and many subs.
// Usage: npm run -s bench -- noise [seed …]; a table for docs/methods/.
import { measureChain, newStep, readySteps, runChain } from "@/core/chain";
import { unitOfSamples } from "@/core/formats";
import { findStars, measureSub } from "@/core/measure";
import { stretchCurves, stretchParameters, throughCurves } from "@/core/display";
import { OPERATIONS } from "@/core/operations";
import { levelsOf } from "@/core/facts";
import type { Raster } from "@/core/raster";
import { frameOfRaster, meanPlane, quantile, robustSpread, wholeRegion } from "@/core/raster";
import { createNight, exposeSub } from "@/core/simulate";
import type { SubFacts } from "@/core/stack";
import { planStack, stackRegion, stackSettings } from "@/core/stack";
import { job, kernels, medianOf, residualPlane, round, truthInReference } from "./lib/truth";

const SIZE = { width: 512, height: 512 };
const INTEGRATIONS = [6, 24, 96];
const STRENGTHS = [1, 0.75, 0.5];
/** Starlet scales at which what is left is held against what was there: mottle of about 1, 4 and 16 px. */
const MOTTLE = [0, 2, 4];
const SHARES = unitOfSamples({
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: 0.95,
  electronsPerAdu: null,
  from: { name: "", fullScale: "", saturation: "" },
});

const approaches = OPERATIONS.filter(({ can }) => can.noiseReduction);

interface Figures {
  /** PSNR in the stretched picture, dB, without what is coarser than 32 px. */
  stretchedDb: number;
  linearDb: number;
  /** Share of stars of SNR 6 … 10 and above 10 whose height fell under half. */
  faintLost: number;
  clearLost: number;
  mottle: number[];
  /** Noise left in bright gas over that in the dark. */
  evenness: number;
  secondsPerMpx: number;
}
const found = new Map<string, Figures[]>();
const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17];
for (const subs of INTEGRATIONS) for (const seed of seeds) await ofNight(subs, seed);

async function ofNight(subs: number, seed: number): Promise<void> {
  const night = createNight({ subs, seed, ...SIZE });
  const rasters = night.subs.map((conditions) => exposeSub(night.sky, night.camera, conditions, seed, kernels));
  const facts: SubFacts[] = rasters.map((raster, i) => ({
    ...measureSub(raster, kernels, { unit: SHARES }),
    id: String(i),
    name: String(i),
    ...SIZE,
    channels: 3,
    exposureS: 120,
    unit: SHARES,
  }));
  const settings = stackSettings.parse({});
  const plan = planStack(facts, settings);
  const sources = plan.used.map(({ id }) => frameOfRaster(rasters[Number(id)]));
  const piece = await stackRegion(sources, plan, settings, wholeRegion(plan), 2 ** 28, job);
  const fwhm = medianOf(plan.used.map(({ id }) => night.subs[Number(id)].fwhmPx));
  const truth = truthInReference(night, Number(plan.referenceId), fwhm);
  const curve = stretchCurves(stretchParameters.defaults, levelsOf([piece.mean], 1));
  const shown = (picture: Raster) => meanPlane({ ...picture, planes: throughCurves(picture.planes, curve) });
  const [target, light] = [shown(truth), meanPlane(truth)];
  const errorOf = (rest: Float32Array) => Math.sqrt(rest.reduce((sum, v) => sum + v * v, 0) / rest.length);
  const brightest = light.reduce((most, v) => Math.max(most, v), 0);
  const fill = piece.mean.planes.map((plane) => medianOf([...plane].filter((v) => v === v)));
  const input = {
    picture: frameOfRaster(piece.mean),
    halves: { a: frameOfRaster(piece.a), b: frameOfRaster(piece.b) },
    fill,
    fullScale: 1,
  };
  const filled = (picture: Raster) => meanPlane(picture).map((v) => (v === v ? v : fill[1]));
  const before = findStars(filled(piece.mean), SIZE.width, SIZE.height, kernels, { threshold: 5 });
  const stars = before.filter(({ snr, saturated }) => snr > 6 && !saturated);
  const smoothed = (plane: Float32Array, from: number, to: number) => {
    let out = plane;
    for (let j = from; j < to; j++) out = kernels.starletSmooth(out, SIZE.width, SIZE.height, j);
    return out;
  };
  const heights = (picture: Raster) => {
    const fine = smoothed(filled(picture), 0, 1);
    const coarse = smoothed(fine, 1, 3);
    return stars.map(({ x, y }) => {
      const i = Math.round(y) * SIZE.width + Math.round(x);
      return fine[i] - coarse[i];
    });
  };
  const restOf = (picture: Raster) => residualPlane(filled(picture), light, SIZE.width);
  /** σ of what is wrong at some scales, and where gas is bright and where it is dark (stars and their wings counted out by rank). */
  const gas = smoothed(meanPlane(truthInReference(night, Number(plan.referenceId), fwhm, false)), 0, 3);
  const [low, high] = [quantile(gas, 0.3), quantile(gas, 0.8)];
  const spreadWhere = (rest: Float32Array, isIn: (v: number) => boolean) =>
    robustSpread(rest.filter((_, i) => isIn(gas[i]))).sigma;
  const scaleOf = (rest: Float32Array, j: number) => {
    const [fine, coarse] = [smoothed(rest, 0, j), smoothed(rest, 0, j + 1)];
    return robustSpread(fine.map((v, i) => v - coarse[i])).sigma;
  };
  const untreated = restOf(piece.mean);
  const full = heights(piece.mean);
  const lostShare = (kept: number[], from: number, to: number) => {
    const of = kept.filter((_, k) => stars[k].snr >= from && stars[k].snr < to);
    return of.filter((share) => share < 0.5).length / Math.max(1, of.length);
  };
  const figuresOf = (picture: Raster, seconds: number): Figures => {
    const rest = restOf(picture);
    const kept = heights(picture).map((h, k) => h / full[k]);
    const left = (isIn: (v: number) => boolean) => spreadWhere(rest, isIn) / spreadWhere(untreated, isIn);
    return {
      stretchedDb: -20 * Math.log10(errorOf(residualPlane(shown(picture), target, SIZE.width))),
      linearDb: 20 * Math.log10(brightest / errorOf(rest)),
      faintLost: lostShare(kept, 6, 10),
      clearLost: lostShare(kept, 10, Infinity),
      mottle: MOTTLE.map((j) => scaleOf(rest, j) / scaleOf(untreated, j)),
      evenness: left((v) => v > high) / left((v) => v < low),
      secondsPerMpx: (seconds / (SIZE.width * SIZE.height)) * 1e6,
    };
  };
  const keep = (key: string, figures: Figures) => found.set(key, [...(found.get(key) ?? []), figures]);
  keep(`${subs} untouched`, figuresOf(piece.mean, 0));
  for (const approach of approaches) {
    const known = await measureChain(input, [newStep(approach)], job); // settings change no fact of the step's input
    for (const strength of STRENGTHS) {
      const step = newStep(approach);
      const ready = readySteps([{ ...step, params: { ...step.params, strength } }], known);
      const started = performance.now();
      const clean = await runChain(input.picture, ready, wholeRegion(SIZE), fill, job);
      keep(`${subs} ${approach.words.short} ${strength}`, figuresOf(clean, (performance.now() - started) / 1000));
    }
  }
}

const mean = (figures: Figures[], value: (of: Figures) => number) =>
  figures.reduce((sum, of) => sum + value(of), 0) / figures.length;
process.stdout.write(
  "| subs, approach, strength | stretched dB | gain linear dB | SNR 6–10 lost | above lost | mottle 1, 4, 16 px | evenness | s/Mpx |\n|---|---|---|---|---|---|---|---|\n",
);
for (const [key, figures] of found) {
  const [subs] = key.split(" ");
  const gain = mean(figures, (of) => of.linearDb) - mean(found.get(`${subs} untouched`) ?? [], (of) => of.linearDb);
  const percent = (value: (of: Figures) => number) => `${round(100 * mean(figures, value), 2)} %`;
  const cells = [
    key,
    mean(figures, (of) => of.stretchedDb).toFixed(2),
    gain.toFixed(2),
    percent((of) => of.faintLost),
    percent((of) => of.clearLost),
    MOTTLE.map((_, j) => mean(figures, (of) => of.mottle[j]).toFixed(2)).join(", "),
    mean(figures, (of) => of.evenness).toFixed(1),
    mean(figures, (of) => of.secondsPerMpx).toFixed(1),
  ];
  process.stdout.write(`| ${cells.join(" | ")} |\n`);
}
