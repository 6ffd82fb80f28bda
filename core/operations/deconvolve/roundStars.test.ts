import { idleReason, measureChain, newStep, readySteps, runChain } from "../../chain";
import { quietJob } from "../../job";
import { findStars, moffatTable } from "../../measure";
import type { Raster } from "../../raster";
import { frameOfRaster, medianInPlace, wholeRegion } from "../../raster";
import { exposed, FIELD_SIDE as SIDE, smoothField } from "../../testing/fields";
import { randomStars, wasmKernels } from "../../testing/fixtures";
import { roundStars } from "./roundStars";

const kernels = wasmKernels();
const job = quietJob(kernels);

/** Gas with stars twice as long as wide, or round ones. */
function nightOf(shape: { fwhmMajor: number; fwhmMinor: number; angle: number }) {
  const plane = smoothField(8, 21).map((v) => 100 + 6 * Math.exp(v / 2));
  const stars = randomStars(45, SIDE, SIDE, 5).map(({ x, y, flux }) => ({ x, y, heights: [1500 * flux] }));
  const profiles = [moffatTable({ ...shape, beta: 3.2 })];
  kernels.drawStars({ planes: [plane], width: SIDE, height: SIDE, profiles, least: [0] }, stars, 1);
  return exposed([plane], (v) => Math.sqrt(1 + 0.02 * (v - 100)), 81);
}

const inputOf = (of: ReturnType<typeof exposed>) => ({
  picture: frameOfRaster(of.picture),
  halves: { a: frameOfRaster(of.a), b: frameOfRaster(of.b) },
  fill: [100],
  fullScale: 1,
});

/** Why the step does nothing; null where it works. */
async function idleOf(of: ReturnType<typeof exposed>): Promise<string | null> {
  const step = newStep(roundStars);
  return idleReason(step, (await measureChain(inputOf(of), [step], job))[0]);
}

async function rounded(of: ReturnType<typeof exposed>, params = {}): Promise<Raster> {
  const steps = [{ ...newStep(roundStars), params: { ...roundStars.parameters.defaults, ...params } }];
  const input = inputOf(of);
  const ready = readySteps(steps, await measureChain(input, steps, job));
  return runChain(input.picture, ready, wholeRegion(of.picture), input.fill, job);
}

/** Medians over the fitted stars: how much longer they are than wide (1 − short/long), and the geometric mean of their widths. */
function starsOf({ planes: [plane] }: Raster) {
  const fits = findStars(plane, SIDE, SIDE, kernels).flatMap(({ fit }) => fit ?? []);
  const middle = (values: number[]) => medianInPlace(Float64Array.from(values));
  return {
    elongation: middle(fits.map(({ fwhmMajor, fwhmMinor }) => 1 - fwhmMinor / fwhmMajor)),
    fwhm: middle(fits.map(({ fwhmMajor, fwhmMinor }) => Math.sqrt(fwhmMajor * fwhmMinor))),
  };
}

const noiseModel = ({ planes: [plane] }: Raster) =>
  medianInPlace(Float64Array.from(plane, (v, i) => Math.abs(v - (plane[i + 1] ?? v))));

test("stars half as wide as long become round, as wide as before, and noise does not rise", async () => {
  const of = nightOf({ fwhmMajor: 4.6, fwhmMinor: 2.4, angle: 0.5 });
  const [before, after] = [starsOf(of.picture), starsOf(await rounded(of))];
  expect(before.elongation).toBeGreaterThan(0.42);
  expect(after.elongation).toBeLessThan(0.1);
  expect(after.fwhm / before.fwhm).toBeGreaterThan(0.93);
  expect(after.fwhm / before.fwhm).toBeLessThan(1.07);
  expect(noiseModel(await rounded(of)) / noiseModel(of.picture)).toBeLessThan(1.05);
  const half = starsOf(await rounded(of, { strength: 0.5 }));
  expect(half.elongation).toBeGreaterThan(after.elongation + 0.08);
  expect(half.elongation).toBeLessThan(before.elongation - 0.08);
});

test("stars that are round already stay as they are, and so does the picture at strength 0", async () => {
  const of = nightOf({ fwhmMajor: 3.2, fwhmMinor: 3.2, angle: 0 });
  expect((await rounded(of)).planes[0]).toEqual(of.picture.planes[0]);
  expect(await idleOf(of)).toMatch(/round here already \(short over long axis (0\.9[7-9]|1\.00)\)/);
  const drawnOut = nightOf({ fwhmMajor: 4.6, fwhmMinor: 2.4, angle: 0.5 });
  expect(await idleOf(drawnOut)).toBeNull();
  expect((await rounded(drawnOut, { strength: 0 })).planes[0]).toEqual(drawnOut.picture.planes[0]);
});

test("every setting changes the picture", async () => {
  const of = nightOf({ fwhmMajor: 4.6, fwhmMinor: 2.4, angle: 0.5 });
  const usual = await rounded(of, { iterations: 4 });
  for (const change of [{ strength: 0.7 }, { iterations: 8 }, { smoothness: 0 }, { starSnr: 15 }]) {
    const { planes } = await rounded(of, { iterations: 4, ...change });
    expect([change, planes[0].some((v, i) => Math.abs(v - usual.planes[0][i]) > 1e-3)]).toEqual([change, true]);
  }
});
