// Which defaults the starlet should have: signal to noise against the simulated truth, and how much of faint stars is left, for every
// setting on several nights. npm run -s bench -- starlet [seed …]
import { measureChain, newStep, readySteps, runChain } from "@/core/chain";
import { unitOfSamples } from "@/core/formats";
import { findStars, measureSub } from "@/core/measure";
import { findOperation, stretchCurves, stretchParameters, stretched } from "@/core/operations";
import { levelsOf } from "@/core/facts";
import type { Raster } from "@/core/raster";
import { frameOfRaster, meanPlane, wholeRegion } from "@/core/raster";
import { createNight, exposeSub } from "@/core/simulate";
import type { SubFacts } from "@/core/stack";
import { planStack, stackRegion, stackSettings } from "@/core/stack";
import { job, kernels, medianOf, residualPlane, round, truthInReference } from "./lib/truth";

const SIZE = { width: 512, height: 512 };
const STRENGTHS = [0.3, 0.4, 0.5, 0.6, 0.7, 0.85];
const DETAILS = [0.2, 0.5, 0.8];
const SCALES = [4, 5, 6];
const SHARES = unitOfSamples({
  ...{ name: "share", storedPerUnit: 1, fullScale: 1, saturation: 0.95, electronsPerAdu: null },
  from: { name: "", fullScale: "", saturation: "" },
});

const starlet = findOperation("noise.starlet");
if (!starlet) throw new RangeError("the registry has no starlet");

interface Figures {
  gainDb: number;
  faintKept: number;
  lost: number;
}
const found = new Map<string, Figures[]>();
const seeds = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [3, 17, 29];
for (const seed of seeds) {
  const night = createNight({ subs: 14, seed, ...SIZE });
  const rasters = night.subs.map((conditions) => exposeSub(night.sky, night.camera, conditions, seed, kernels));
  const facts: SubFacts[] = rasters.map((raster, i) => ({
    ...measureSub(raster, kernels, { unit: SHARES }),
    ...{ id: String(i), name: String(i), ...SIZE, channels: 3, exposureS: 120, unit: SHARES },
  }));
  const settings = stackSettings.parse({});
  const plan = planStack(facts, settings);
  const sources = plan.used.map(({ id }) => frameOfRaster(rasters[Number(id)]));
  const piece = await stackRegion(sources, plan, settings, wholeRegion(plan), 2 ** 28, job);
  const fwhm = medianOf(plan.used.map(({ id }) => night.subs[Number(id)].fwhmPx));
  const truth = truthInReference(night, Number(plan.referenceId), fwhm);
  const curve = stretchCurves(stretchParameters.defaults, levelsOf([piece.mean], 1));
  const shown = (picture: Raster) =>
    meanPlane({ ...picture, planes: picture.planes.map((p, c) => stretched(p, curve[c])) });
  const target = shown(truth);
  const errorOf = (picture: Raster) => {
    const rest = residualPlane(shown(picture), target, SIZE.width);
    return Math.sqrt(rest.reduce((sum, v) => sum + v * v, 0) / rest.length);
  };
  const fill = piece.mean.planes.map((plane) => medianOf([...plane].filter((v) => v === v)));
  const input = {
    picture: frameOfRaster(piece.mean),
    halves: { a: frameOfRaster(piece.a), b: frameOfRaster(piece.b) },
    ...{ fill, fullScale: 1 },
  };
  const filled = (picture: Raster) => meanPlane(picture).map((v) => (v === v ? v : fill[1]));
  const before = findStars(filled(piece.mean), SIZE.width, SIZE.height, kernels, { threshold: 4 });
  const faint = before.filter(({ snr, saturated }) => snr > 5 && snr < 15 && !saturated);
  const heights = (picture: Raster) => {
    const plane = filled(picture);
    const c1 = kernels.starletSmooth(plane, SIZE.width, SIZE.height, 0);
    const c3 = kernels.starletSmooth(kernels.starletSmooth(c1, SIZE.width, SIZE.height, 1), SIZE.width, SIZE.height, 2);
    return faint.map(({ x, y }) => {
      const i = Math.round(y) * SIZE.width + Math.round(x);
      return c1[i] - c3[i];
    });
  };
  const untreated = errorOf(piece.mean);
  const full = heights(piece.mean);
  const known = await measureChain(input, [newStep(starlet)], job); // settings change no fact of the step's input
  for (const strength of STRENGTHS)
    for (const detail of DETAILS)
      for (const scales of SCALES) {
        const steps = [{ ...newStep(starlet), params: { strength, detail, scales } }];
        const ready = readySteps(steps, known);
        const smooth = await runChain(input.picture, ready, wholeRegion(SIZE), fill, job);
        const kept = heights(smooth).map((h, k) => h / full[k]);
        const key = `${strength} ${detail} ${scales}`;
        const figures = {
          gainDb: 20 * Math.log10(untreated / errorOf(smooth)),
          faintKept: medianOf([...kept]),
          lost: kept.filter((share) => share < 0.5).length / kept.length,
        };
        found.set(key, [...(found.get(key) ?? []), figures]);
      }
}
process.stdout.write("strength, keep detail, scales: gain dB (each night), faint stars' height kept, share lost\n");
const rows = [...found].map(([key, figures]) => ({
  key,
  figures,
  gain: figures.reduce((sum, { gainDb }) => sum + gainDb, 0) / figures.length,
}));
for (const { key, figures } of rows.sort((a, b) => b.gain - a.gain))
  process.stdout.write(
    `${key}: ${figures.map(({ gainDb }) => round(gainDb, 3)).join(" ")}; ${figures.map(({ faintKept }) => round(faintKept, 2)).join(" ")}; ${figures.map(({ lost }) => round(lost, 2)).join(" ")}\n`,
  );
