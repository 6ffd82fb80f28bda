import { measureChain, migratedStep, newStep, readySteps, runChain } from "../../chain";
import { quietJob } from "../../job";
import { createRandom } from "../../numeric/random";
import { moffatPsf, roundPsf, telescopePsf } from "../../measure";
import type { Psf } from "../../kernels";
import { frameOfRaster, medianInPlace, rasterOf, wholeRegion } from "../../raster";
import { stepOf } from "../../testing/chainOn";
import { exposed, FIELD_SIDE as SIDE, smoothField } from "../../testing/fields";
import { wasmKernels } from "../../testing/fixtures";

import { findOperation } from "../registry";
import { targetFwhm } from "./lucy";

const kernels = wasmKernels();
const job = quietJob(kernels);

/** Hills and rims without stars, of a range of some 100, and what a blur makes of them. */
const scene = smoothField(2.5, 31).map(
  (v, i) => 300 + 25 * v + (Math.hypot((i % SIDE) - 128, (i >> 8) - 128) < 60 ? 80 : 0),
);
const blurredBy = (psf: Psf) => kernels.convolve(scene, SIDE, SIDE, psf);
const sigma = 1;

async function treated(light: Float32Array, noise: number, id: string, params: Record<string, unknown>) {
  const operation = findOperation(id);
  if (!operation) throw new Error(id);
  const of = exposed([light], () => noise, 77);
  const fresh = newStep(operation);
  const steps = [{ ...fresh, params: { ...fresh.params, ...params } }];
  const input = {
    picture: frameOfRaster(of.picture),
    halves: { a: frameOfRaster(of.a), b: frameOfRaster(of.b) },
    fill: [300],
    fullScale: 1,
  };
  const ready = readySteps(steps, await measureChain(input, steps, job));
  const out = await runChain(input.picture, ready, wholeRegion(of.picture), input.fill, job);
  return { before: of.picture.planes[0], after: out.planes[0] };
}

/** Root mean square of a difference, borders left out. */
function error(plane: Float32Array, truth: Float32Array): number {
  let [sum, count] = [0, 0];
  for (let y = 24; y < SIDE - 24; y++)
    for (let x = 24; x < SIDE - 24; x++, count++) sum += (plane[y * SIDE + x] - truth[y * SIDE + x]) ** 2;
  return Math.sqrt(sum / count);
}

const FWHM = 3.4;
const moffat = roundPsf(FWHM, 3, 11);
const typed = { psf: "typed", fwhmPx: FWHM, beta: 3 };
const target = roundPsf(targetFwhm(FWHM, 1), 3, 12);
const wanted = kernels.convolve(scene, SIDE, SIDE, target);
const light = blurredBy(moffat);

test("the inverse, of hardly any noise, is the scene as its target would show it; at strength 0 the picture", async () => {
  const { before, after } = await treated(light, 0.01, "deconvolve.inverse", { ...typed, strength: 1, gate: 0 });
  expect(error(after, wanted)).toBeLessThan(0.085 * error(before, wanted));
  const still = await treated(light, sigma, "deconvolve.inverse", { ...typed, strength: 0 });
  expect(still.after).toEqual(still.before);
});

test("in noise, the inverse and Richardson–Lucy by scales come nearer to it than the picture, and than themselves without a gate", async () => {
  for (const [id, more] of [
    ["deconvolve.inverse", { strength: 1, gate: 0.7 }],
    ["deconvolve.starlet-lucy", { iterations: 60 }],
  ] as const) {
    const { before, after } = await treated(light, 5 * sigma, id, { ...typed, ...more });
    const open = await treated(light, 5 * sigma, id, { ...typed, ...more, gate: 0 });
    expect([id, error(after, wanted) / error(before, wanted) < 0.55]).toEqual([id, true]);
    expect([id, error(after, wanted) / error(open.after, wanted) < 0.85]).toEqual([id, true]);
  }
});

test("Richardson–Lucy: ten longer steps go as far as twenty plain ones; what is left alone below some σ keeps grain down", async () => {
  const plain = { ...typed, protectStars: 0 };
  const lucy = (params: Record<string, unknown>) =>
    treated(light, 0.05, "deconvolve.richardson-lucy", { ...plain, ...params });
  const ofStars = {
    psf: "kept",
    kernel: { from: "a star", side: moffat.size, values: [...moffat.values] },
    smoothness: 0,
    shown: false,
  };
  const misses = async (params: Record<string, unknown>) => error((await lucy({ ...ofStars, ...params })).after, scene);
  const few = { iterations: 10, hastened: false };
  const [ten, twenty, longer] = [
    await misses(few),
    await misses({ ...few, iterations: 20 }),
    await misses({ ...few, hastened: true }),
  ];
  expect(twenty).toBeLessThan(ten);
  expect(longer).toBeLessThan(1.01 * twenty);
  const grainOf = async (damping: number) => {
    const { after } = await treated(light, 5, "deconvolve.richardson-lucy", {
      ...plain,
      smoothness: 0,
      hastened: false,
      iterations: 60,
      damping,
    });
    const fine = kernels.starletSmooth(after, SIDE, SIDE, 0).map((v, i) => Math.abs(v - after[i]));
    return medianInPlace(Float64Array.from(fine));
  };
  expect(await grainOf(3)).toBeLessThan(0.7 * (await grainOf(0)));
});

test("Richardson–Lucy cuts off no shadow, though it be darker than all but a hundredth of the picture", async () => {
  const shadows = [
    [70, 80],
    [190, 150],
  ];
  const isDark = (i: number, within: number) =>
    shadows.some(([x, y]) => Math.hypot((i % SIDE) - x, (i >> 8) - y) < within);
  const dark = scene.map((v, i) => (isDark(i, 9) ? 20 : v));
  expect(dark.filter((v) => v < 100).length).toBeLessThan(0.01 * dark.length);
  const { before, after } = await treated(
    kernels.convolve(dark, SIDE, SIDE, moffat),
    sigma,
    "deconvolve.richardson-lucy",
    { ...typed, protectStars: 0 },
  );
  const mean = (plane: Float32Array, within: number) => {
    const values = [...plane].filter((_, i) => isDark(i, within));
    return values.reduce((a, b) => a + b, 0) / values.length;
  };
  expect(Math.abs(mean(after, 5) - 20)).toBeLessThan(12);
  expect(mean(after, 8)).toBeLessThan(mean(before, 8));
});

test("a surface that fills the picture: the default comes nearer to it than any number of plain steps, chosen by the truth", async () => {
  // Half of it lies below its median, as half of the Moon does; one picture, without halves.
  for (const [fwhmPx, noise] of [
    [3, 2],
    [5, 0.5],
  ]) {
    const psf = roundPsf(fwhmPx, 3, 16);
    const random = createRandom(6);
    const plane = blurredBy(psf).map((v) => v + noise * random.normal());
    const of = rasterOf(SIDE, SIDE, [plane]);
    const after = async (params: Record<string, unknown>) => {
      const steps = [stepOf("deconvolve.richardson-lucy", { psf: "typed", fwhmPx, beta: 3, ...params })];
      const input = { picture: frameOfRaster(of), halves: null, fill: [300], fullScale: 1000 };
      const ready = readySteps(steps, await measureChain(input, steps, job));
      return error((await runChain(input.picture, ready, wholeRegion(of), input.fill, job)).planes[0], scene);
    };
    const plain: number[] = [];
    for (const iterations of [2, 4, 8, 16, 32])
      plain.push(await after({ iterations, hastened: false, smoothness: 0, protectStars: 0 }));
    const best = Math.min(...plain);
    expect(await after({})).toBeLessThan(1.02 * best);
    expect(best).toBeLessThan(0.95 * error(plane, scene));
  }
});

test("the blur that was typed is the one that is taken back: of three blurs each comes nearest with its own", async () => {
  const telescope = { apertureMm: 150, obstruction: 0.35, wavelengthNm: 600, arcsecPerPx: 0.25, seeingArcsec: 0.5 };
  const gaussian = moffatPsf({ fwhmMajor: 4, fwhmMinor: 4, angle: 0, beta: 60 }, 14);
  const blurs = [
    { psf: roundPsf(4, 2.2, 14), params: { psf: "typed", fwhmPx: 4, beta: 2.2 } },
    { psf: gaussian, params: { psf: "gaussian", fwhmPx: 4 } },
    { psf: telescopePsf(telescope, 16), params: { psf: "telescope", ...telescope } },
  ];
  for (const { psf } of blurs) {
    const seen = blurredBy(psf);
    const misses: number[] = [];
    for (const { params } of blurs)
      misses.push(
        error(
          (await treated(seen, 0.02, "deconvolve.richardson-lucy", { ...params, iterations: 60, protectStars: 0 }))
            .after,
          scene,
        ),
      );
    expect(misses.indexOf(Math.min(...misses))).toBe(blurs.findIndex((one) => one.psf === psf));
  }
});

test("the picture's own size comes back, also of one that is smaller than the blur, and an even one stays even", async () => {
  const flat = rasterOf(20, 12, [new Float32Array(240).fill(3)]);
  for (const id of ["deconvolve.inverse", "deconvolve.starlet-lucy", "deconvolve.richardson-lucy"]) {
    const operation = findOperation(id);
    if (!operation) throw new Error(id);
    const steps = [{ ...newStep(operation), params: { ...newStep(operation).params, psf: "typed" } }];
    const input = { picture: frameOfRaster(flat), halves: null, fill: [3], fullScale: 1 };
    const ready = readySteps(steps, await measureChain(input, steps, job));
    const out = await runChain(input.picture, ready, wholeRegion(flat), input.fill, job);
    expect([out.width, out.height]).toEqual([20, 12]);
    expect(Math.max(...out.planes[0].map((v) => Math.abs(v - 3)))).toBeLessThan(1e-3);
  }
});

test("steps of version 6 with a typed blur stay plain and without smoothness", () => {
  const step = (params: Record<string, unknown>) =>
    migratedStep({ ...stepOf("deconvolve.richardson-lucy", {}), version: 6, params }).params;
  expect(step({ psf: "typed", hastened: true })).toMatchObject({ hastened: false, smoothness: 0 });
  expect(step({ psf: "measured", hastened: true, smoothness: 1 })).toMatchObject({ hastened: true, smoothness: 1 });
});

test("steps of version 4 keep what they did: their defaults, and as much of longer steps with a typed blur", () => {
  const step = (params: Record<string, unknown>) =>
    migratedStep({ ...stepOf("deconvolve.richardson-lucy", {}), version: 4, params }).params;
  expect(step({})).toMatchObject({ iterations: 30, hastened: false });
  expect(step({ iterations: 12, hastened: true, psf: "measured" })).toMatchObject({ iterations: 12, hastened: true });
  expect(step({ iterations: 12, hastened: true, psf: "typed" })).toMatchObject({ iterations: 36 });
  expect(step({ iterations: 80, hastened: true, psf: "gaussian" })).toMatchObject({ iterations: 100 });
});
