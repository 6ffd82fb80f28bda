import type { ChainInput, ReadyStep } from "../../chain";
import { measureChain, newStep, readySteps, runChain } from "../../chain";
import type { Facts } from "../../facts";
import { quietJob } from "../../job";
import { findStars, moffatTable, shapeAt } from "../../measure";
import { createRandom } from "../../numeric/random";
import type { Raster } from "../../raster";
import { cropRaster, frameOfRaster, medianInPlace, rasterOf, wholeRegion } from "../../raster";
import { randomStars, wasmKernels, worstDifference } from "../../testing/fixtures";
import { findOperation } from "../registry";

const kernels = wasmKernels();
const job = quietJob(kernels);
const SIDE = 640;

/** Stars that are drawn out from the middle of the picture outwards, twice as long as wide at its corners. */
function shapeOf(x: number, y: number) {
  const [dx, dy] = [x - SIDE / 2, y - SIDE / 2];
  const far = (dx * dx + dy * dy) / (2 * (SIDE / 2) ** 2);
  return { fwhmMajor: 3 * (1 + far), fwhmMinor: 3, angle: Math.atan2(dy, dx), beta: 3 };
}

/** A sky of stars on an even ground with its halves. */
function night(): ChainInput {
  const light = new Float32Array(SIDE * SIDE).fill(100);
  for (const { x, y, flux } of randomStars(160, SIDE, SIDE, 7)) {
    const profiles = [moffatTable(shapeOf(x, y))];
    const on = { planes: [light], width: SIDE, height: SIDE, profiles, least: [0] };
    kernels.drawStars(on, [{ x, y, heights: [2000 * flux + 150] }], 1);
  }
  const random = createRandom(9);
  const half = () => light.map((v) => v + Math.SQRT2 * Math.sqrt(1 + 0.02 * (v - 100)) * random.normal());
  const [a, b] = [half(), half()];
  const frame = (plane: Float32Array) => frameOfRaster(rasterOf(SIDE, SIDE, [plane]));
  return {
    picture: frame(a.map((v, i) => (v + b[i]) / 2)),
    halves: { a: frame(a), b: frame(b) },
    fill: [100],
    fullScale: 1,
  };
}

const input = night();

async function ready(id: string, params: Record<string, unknown> = {}): Promise<ReadyStep[]> {
  const operation = findOperation(id);
  if (!operation) throw new Error(id);
  const fresh = newStep(operation);
  const steps = [{ ...fresh, params: { ...fresh.params, ...params } }];
  return readySteps(steps, await measureChain(input, steps, job));
}
const run = (steps: ReadyStep[], region = wholeRegion(input.picture)) =>
  runChain(input.picture, steps, region, input.fill, job);

/** Medians over the stars of the middle, and of the corners: 1 − short/long, and width. */
function starsOf({ planes: [plane] }: Raster) {
  const fits = findStars(plane, SIDE, SIDE, kernels, { fits: 200 }).flatMap(({ fit, snr }) =>
    fit && snr > 25 ? fit : [],
  );
  const median = (values: number[]) => medianInPlace(Float64Array.from(values));
  const of = (isIn: (far: number) => boolean) => {
    const some = fits.filter(({ x, y }) => isIn(Math.hypot(x - SIDE / 2, y - SIDE / 2)));
    return {
      elongation: median(some.map(({ fwhmMajor, fwhmMinor }) => 1 - fwhmMinor / fwhmMajor)),
      fwhm: median(some.map(({ fwhmMajor, fwhmMinor }) => Math.sqrt(fwhmMajor * fwhmMinor))),
    };
  };
  return { middle: of((far) => far < 160), corners: of((far) => far > 330) };
}

test("the field of the PSF is found from the picture's own stars: widths within 4 % at the middle and the corners", async () => {
  const [{ facts }] = await ready("deconvolve.round-stars");
  const [shape] = (facts[0] as Facts<"psfShape">).psfShape.channels;
  if (!shape?.field) throw new Error("no field");
  for (const [x, y] of [
    [320, 320],
    [90, 100],
    [560, 550],
  ]) {
    const [found, right] = [shapeAt(shape.field, shape.beta, x, y), shapeOf(x, y)];
    expect(Math.abs(found.fwhmMajor / right.fwhmMajor - 1)).toBeLessThan(0.04);
    expect(Math.abs(found.fwhmMinor / right.fwhmMinor - 1)).toBeLessThan(0.04);
  }
});

test("stars of the corners become round with round stars, as those of the middle; no crop differs from the whole", async () => {
  const steps = await ready("deconvolve.round-stars", { iterations: 5 });
  const [before, whole] = [starsOf(await run([])), await run(steps)];
  expect(before.corners.elongation).toBeGreaterThan(0.35);
  expect(before.middle.elongation).toBeLessThan(0.15);
  const after = starsOf(whole);
  expect(after.corners.elongation).toBeLessThan(0.12);
  expect(after.middle.elongation).toBeLessThan(0.12);
  expect(Math.abs(after.corners.fwhm / before.corners.fwhm - 1)).toBeLessThan(0.08);
  const region = { x: 203, y: 70, width: 131, height: 140 };
  const range = whole.planes[0].reduce((most, v) => Math.max(most, v), 0) - 100;
  const crop = await run(steps, region);
  expect(worstDifference(crop.planes[0], cropRaster(whole, region).planes[0]) / range).toBeLessThan(1e-3);
});

test("stars apart and Richardson–Lucy narrow the stars of the corners as those of the middle, and make them as round", async () => {
  for (const [id, params] of [
    ["deconvolve.stars-apart", { iterations: 5 }],
    ["deconvolve.richardson-lucy", { iterations: 60, smoothness: 0, protectStars: 0 }],
  ] as const) {
    const [before, after] = [starsOf(await run([])), starsOf(await run(await ready(id, params)))];
    const narrower = (of: "middle" | "corners") => after[of].fwhm / before[of].fwhm;
    expect([id, narrower("middle") < 0.85, narrower("corners") < 0.85]).toEqual([id, true, true]);
    expect([id, after.corners.elongation < 0.2]).toEqual([id, true]);
  }
});
