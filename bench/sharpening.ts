// Every way of taking blur away against the simulated truth as stars of 1.8 px would show it: at its defaults and at half of its strength.
// Usage: npm run -s bench -- sharpening [seed …]; a table for docs/methods/.
import { measureChain, newStep, readySteps, runChain } from "@/core/chain";
import { unitOfSamples } from "@/core/formats";
import { levelsOf } from "@/core/facts";
import type { Star } from "@/core/measure";
import { findStars, measureSub, starShape } from "@/core/measure";
import type { AnyOperation } from "@/core/operations";
import { stretchCurves, stretchParameters, throughCurves } from "@/core/display";
import { OPERATIONS, sharpens } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { frameOfRaster, meanPlane, quantile, robustSpread, wholeRegion } from "@/core/raster";
import { createNight, exposeSub } from "@/core/simulate";
import type { SubFacts } from "@/core/stack";
import { planStack, stackRegion, stackSettings } from "@/core/stack";
import { job, kernels, medianOf, residualPlane, truthInReference } from "./lib/truth";

const SIZE = { width: 512, height: 512 };
const SUBS = 24;
const TARGET_PX = 1.8;
const SHARES = unitOfSamples({
  name: "share",
  storedPerUnit: 1,
  fullScale: 1,
  saturation: 0.95,
  electronsPerAdu: null,
  from: { name: "", fullScale: "", saturation: "" },
});

interface Figures {
  /** PSNR of the stretched picture, dB, without what is coarser than 32 px. */
  stretchedDb: number;
  fwhmPx: number;
  /** Darkest ring round clear stars over their height: the median star, and nine in ten. */
  ring: [number, number];
  /** Noise of the finest scale over that before, where gas is dark. */
  noise: number;
  stars: number;
  secondsPerMpx: number;
}

const ways: { name: string; steps: [AnyOperation, object][] }[] = OPERATIONS.filter(sharpens).flatMap((operation) => {
  const { parameters } = operation;
  const strength = operation.can.strength?.field;
  if (strength === undefined) return [];
  const usual = Number(parameters.defaults[strength]);
  const half = Number.isInteger(usual) && usual > 1 ? Math.round(usual / 2) : usual / 2;
  return [usual, half].map((value) => ({
    name: `${operation.words.short}, ${String(strength)} ${value}`,
    steps: [[operation, { [strength]: value }]] as [AnyOperation, object][],
  }));
});
const found = new Map<string, Figures[]>();
const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17];
for (const seed of seeds) await ofNight(seed);

async function ofNight(seed: number): Promise<void> {
  const night = createNight({ subs: SUBS, seed, ...SIZE });
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
  const truth = truthInReference(night, Number(plan.referenceId), TARGET_PX);
  const gas = meanPlane(truthInReference(night, Number(plan.referenceId), TARGET_PX, false));
  const dark = quantile(gas, 0.3);
  const curve = stretchCurves(stretchParameters.defaults, levelsOf([piece.mean], 1));
  const shown = (picture: Raster) => meanPlane({ ...picture, planes: throughCurves(picture.planes, curve) });
  const target = shown(truth);
  const fill = piece.mean.planes.map((plane) => medianOf([...plane].filter((v) => v === v)));
  const halves = { a: frameOfRaster(piece.a), b: frameOfRaster(piece.b) };
  const input = { picture: frameOfRaster(piece.mean), halves, fill, fullScale: 1 };
  const filled = (picture: Raster) => meanPlane(picture).map((v) => (v === v ? v : fill[1]));
  const starsOf = (picture: Raster) => findStars(filled(picture), SIZE.width, SIZE.height, kernels, { threshold: 5 });
  const before = starsOf(piece.mean);
  const clear = before.filter(
    (star) =>
      star.snr > 60 &&
      !star.saturated &&
      before.every((o) => o === star || o.flux < 0.02 * star.flux || Math.hypot(o.x - star.x, o.y - star.y) > 20),
  );
  const grain = (picture: Raster) => {
    const plane = filled(picture);
    const smooth = kernels.starletSmooth(plane, SIZE.width, SIZE.height, 0);
    return robustSpread(plane.map((v, i) => v - smooth[i]).filter((_, i) => gas[i] < dark)).sigma;
  };
  const figuresOf = (picture: Raster, seconds: number): Figures => {
    const rest = residualPlane(shown(picture), target, SIZE.width);
    const rings = clear.map((star) => ringOf(filled(picture), star)).sort((p, q) => p - q);
    return {
      stretchedDb: -20 * Math.log10(Math.sqrt(rest.reduce((sum, v) => sum + v * v, 0) / rest.length)),
      fwhmPx: starShape(starsOf(picture)).fwhmPx ?? NaN,
      ring: [0.5, 0.9].map((share) => rings[Math.floor(share * (rings.length - 1))]) as [number, number],
      noise: grain(picture) / grain(piece.mean),
      stars: starsOf(picture).length / before.length,
      secondsPerMpx: (seconds / (SIZE.width * SIZE.height)) * 1e6,
    };
  };
  const keep = (key: string, figures: Figures) => found.set(key, [...(found.get(key) ?? []), figures]);
  keep("untouched", figuresOf(piece.mean, 0));
  for (const { name, steps } of ways) {
    const chain = steps.map(([operation, params]) => {
      const step = newStep(operation);
      return { ...step, params: { ...step.params, ...params } };
    });
    const ready = readySteps(chain, await measureChain(input, chain, job));
    const started = performance.now();
    const sharp = await runChain(input.picture, ready, wholeRegion(SIZE), fill, job);
    keep(name, figuresOf(sharp, (performance.now() - started) / 1000));
  }
}

/** How far the mean of a ring, 2 to 9 px round a star, lies below the level further out, over the star's height. */
function ringOf(plane: Float32Array, { x, y, peak }: Star): number {
  const rings: number[][] = Array.from({ length: 16 }, () => []);
  for (let v = -15; v <= 15; v++)
    for (let u = -15; u <= 15; u++) {
      const [i, j] = [Math.round(x) + u, Math.round(y) + v];
      const k = Math.round(Math.hypot(i - x, j - y));
      if (k < 16 && i >= 0 && j >= 0 && i < SIZE.width && j < SIZE.height) rings[k].push(plane[j * SIZE.width + i]);
    }
  const level = medianOf(rings.slice(11).flat());
  const means = rings.slice(2, 10).map((ring) => ring.reduce((sum, w) => sum + w, 0) / Math.max(1, ring.length));
  return Math.max(0, level - Math.min(...means)) / peak;
}

const mean = (figures: Figures[], value: (of: Figures) => number) =>
  figures.reduce((sum, of) => sum + value(of), 0) / figures.length;
process.stdout.write(
  "| way | stretched dB | FWHM px | darkest ring, median / 9 in 10 | noise | stars found | s/Mpx |\n|---|---|---|---|---|---|---|\n",
);
for (const [key, figures] of found) {
  const percent = (value: (of: Figures) => number) => `${(100 * mean(figures, value)).toFixed(2)} %`;
  const cells = [
    key,
    mean(figures, (of) => of.stretchedDb).toFixed(2),
    mean(figures, (of) => of.fwhmPx).toFixed(2),
    `${percent((of) => of.ring[0])} / ${percent((of) => of.ring[1])}`,
    mean(figures, (of) => of.noise).toFixed(2),
    mean(figures, (of) => of.stars).toFixed(2),
    mean(figures, (of) => of.secondsPerMpx).toFixed(1),
  ];
  process.stdout.write(`| ${cells.join(" | ")} |\n`);
}
