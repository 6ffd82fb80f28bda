import { quietJob } from "../job";
import { measureSub } from "../measure";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { frameOfRaster, wholeRegion } from "../raster";
import { shiftBy } from "../register";
import { paintStars, SHARES, wasmKernels } from "../testing/fixtures";
import { fillLevels, saturatedPixels } from "./cores";
import type { SubFacts } from "./index";
import { makeReport, planStack, stackRegion, stackSettings } from "./index";

const kernels = wasmKernels();
const job = quietJob(kernels);
const SIDE = 256;
const UNIT = { ...SHARES, saturation: 0.95 };

/** A field whose five brightest stars are too bright for the long exposures; the same stars in `times` of their light. */
const random = createRandom(8);
const stars = Array.from({ length: 60 }, (_, k) => ({
  x: 16 + 224 * random.uniform(),
  y: 16 + 224 * random.uniform(),
  flux: k < 5 ? 30 + 15 * k : 0.2 + 1.5 * random.uniform(),
}));
const expose = (times: number, seed: number): Raster => {
  const bright = stars.map((star) => ({ ...star, flux: star.flux * times }));
  const noise = 0.0004 * Math.sqrt(times);
  const raster = paintStars(SIDE, SIDE, bright, { fwhm: 3, level: 0.02 * times, noise, seed });
  for (const plane of raster.planes) for (let i = 0; i < plane.length; i++) plane[i] = Math.min(1, plane[i]);
  return raster;
};
const lengths = [1, 1, 1, 0.1, 1, 1, 0.1, 1, 0.1];
const rasters = lengths.map((times, i) => expose(times, i + 1));
const facts: SubFacts[] = rasters.map((raster, i) => ({
  id: `${i}`,
  name: `${i}`,
  width: SIDE,
  height: SIDE,
  channels: 1,
  exposureS: 300 * lengths[i],
  ...measureSub(raster, kernels, { unit: UNIT }),
  unit: UNIT,
}));
const stacked = (settings: Parameters<typeof stackSettings.parse>[0], subs = facts) => {
  const all = stackSettings.parse(settings);
  const plan = planStack(subs, all);
  const sources = plan.used.map(({ id }) => frameOfRaster(rasters[Number(id)]));
  return stackRegion(sources, plan, all, wholeRegion(plan), 64 * 2 ** 20, job).then((piece) => ({ plan, piece }));
};

/** The brightest pixel of each of the five stars, in the light of a long exposure without noise or limit. */
const truth = paintStars(SIDE, SIDE, stars, { fwhm: 3, level: 0.02, noise: 0 }).planes[0];
const peaks = stars.slice(0, 5).map(({ x, y }) => Math.round(y) * SIDE + Math.round(x));

test("cores that are saturated in long exposures are filled from short ones, in both halves, and the sky is that of all", async () => {
  const { plan, piece } = await stacked({ referenceId: "0" });
  expect(plan.leftOut).toEqual([]);
  expect(plan.used.map(({ fullAt }) => fullAt !== null)).toEqual(lengths.map((times) => times === 1));
  for (const p of peaks) {
    expect(truth[p]).toBeGreaterThan(1.5);
    for (const picture of [piece.mean, piece.a, piece.b])
      expect(Math.abs(picture.planes[0][p] / truth[p] - 1)).toBeLessThan(0.03);
    // Only the three short ones have data there.
    expect(piece.coverage[p]).toBe(3);
  }
  const worst = peaks.map((p) =>
    Math.max(...truth.slice(p - 6, p + 7).map((v, k) => Math.abs(piece.mean.planes[0][p - 6 + k] / v - 1))),
  );
  // Along a row through each star, where long and short ones meet, there is no step.
  for (const off of worst) expect(off).toBeLessThan(0.06);
  expect(piece.coverage[5 * SIDE + 5]).toBe(lengths.length);
  expect(plan.fullAt).toBeGreaterThan(8);
  const report = makeReport(plan, facts, stackSettings.parse({}), {
    halvesSigma: [1],
    fwhmPx: 3,
    samples: 1,
    rejected: 0,
    seconds: 1,
    peakBytes: 1,
  });
  expect(report.cores).toEqual({ filled: 6, from: 3 });
});

test("left as they are they stay flat; subs of one length have nothing to be filled from", async () => {
  const kept = await stacked({ referenceId: "0", keepCores: true });
  for (const p of peaks) expect(kept.piece.mean.planes[0][p]).toBeLessThan(0.75 * truth[p]);
  const long = facts.filter((_, i) => lengths[i] === 1);
  const { plan, piece } = await stacked({ referenceId: "0" }, long);
  expect(plan.used.every(({ fullAt }) => fullAt === null)).toBe(true);
  expect(plan.fullAt).toBeNull();
  expect(piece.mean.planes[0][peaks[0]]).toBeGreaterThan(0.9);
});

test("a core that no short exposure shows keeps what the long ones have", () => {
  const measures = { background: [0.1] };
  const sub = (scale: number, saturation: number | null) => ({ scale, measures, unit: { ...SHARES, saturation } });
  expect(fillLevels([sub(1, 0.9), sub(1.4, 0.9)])).toEqual([null, null]);
  expect(fillLevels([sub(1, 0.9), sub(5, 0.9), sub(1, null)])).toEqual([0.9, null, null]);
  expect(fillLevels([])).toEqual([]);
});

test("saturated samples with those within two px of them, on the reference's pixels", () => {
  const raster = paintStars(20, 16, [], { noise: 0, level: 0.1 });
  const part = { x: 30, y: 40, width: 20, height: 16 };
  expect(saturatedPixels(raster, part, 0.9, shiftBy(0, 0), part)).toBeNull();
  raster.planes[0][8 * 20 + 10] = 1;
  const tile = { x: 33, y: 43, width: 20, height: 16 };
  const mask = saturatedPixels(raster, part, 0.9, shiftBy(3, 4), tile);
  // (40, 48) of the sub is (43, 52) of the reference.
  for (let y = 0; y < 16; y++)
    for (let x = 0; x < 20; x++)
      expect(mask?.[y * 20 + x]).toBe(Math.abs(x + 33 - 43) <= 2 && Math.abs(y + 43 - 52) <= 2 ? 1 : 0);
});
