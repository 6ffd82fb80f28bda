import type { ChainInput } from "../../chain";
import { measureChain, newStep, readySteps } from "../../chain";
import { quietJob } from "../../job";
import { findStars, pixelNoise } from "../../measure";
import { createRandom } from "../../numeric/random";
import { findOperation } from "../../operations";
import type { Raster } from "../../raster";
import { frameOfRaster, rasterOf } from "../../raster";
import { smoothField } from "../../testing/fields";
import { paintStars, wasmKernels } from "../../testing/fixtures";
import { evidenceViews } from "../evidence";
import type { Measured } from "./measure";
import { MEASURES, measureLane } from "./index";

const job = quietJob(wasmKernels());
const SIDE = 256;
const SIGMA = 0.001;
const SHAPE = { fwhmPx: 3, beta: 3.5 };
const PLACE = { x: 48, y: 48, width: 160, height: 160 };

const stars = Array.from({ length: 16 }, (_, k) => ({ x: 40 + 58 * (k % 4), y: 40 + 58 * (k >> 2), flux: 2 }));
const painted = paintStars(SIDE, SIDE, stars, { fwhm: 3, noise: 0, level: 0.02, channels: 3 });
const gas = smoothField(2, 9).map((v) => 0.002 * v);
const truth: Raster = { ...painted, planes: painted.planes.map((plane) => plane.map((v, i) => v + gas[i])) };

function stack(): ChainInput {
  const random = createRandom(3);
  const [a, b] = [0, 1].map(() => ({
    ...truth,
    planes: truth.planes.map((plane) => plane.map((v) => v + Math.SQRT2 * SIGMA * random.normal())),
  }));
  const whole = { ...truth, planes: a.planes.map((plane, c) => plane.map((v, i) => (v + b.planes[c][i]) / 2)) };
  return {
    picture: frameOfRaster(whole),
    halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
    fill: [0.02, 0.02, 0.02],
    fullScale: 1,
  };
}

async function chainOf(input: ChainInput, id: string, params: Record<string, unknown> = {}) {
  const operation = findOperation(id);
  if (!operation) throw new Error(id);
  const fresh = newStep(operation);
  const steps = [{ ...fresh, params: { ...fresh.params, ...params } }];
  return readySteps(steps, await measureChain(input, steps, job));
}

const told = async (steps: Parameters<typeof measureLane>[1], input = stack()) =>
  measureLane(input, steps, PLACE, { shape: SHAPE, skyLevel: 0.02 }, job);

test("of the untouched stack every measure says that nothing changed", async () => {
  const values = await told([]);
  expect(values.noise).toBeGreaterThan((0.96 * SIGMA) / Math.sqrt(3));
  expect(values.noise).toBeLessThan((1.04 * SIGMA) / Math.sqrt(3));
  expect(values).toMatchObject({ unsupported: 0, lost: 0, clipped: 0, starColour: 0, "stars.lost": 0 });
  expect(values.noiseDb).toBeCloseTo(0, 5);
  expect(values.detail).toBeCloseTo(100, 6);
  expect(values.mottle).toBeCloseTo(1, 5);
  expect(values.evenness).toBeCloseTo(1, 5);
  expect(values.fwhm).toBeGreaterThan(2.9);
  expect(values.fwhm).toBeLessThan(3.1);
  expect(values.eccentricity).toBeLessThan(0.25);
  expect(Object.keys(values)).toEqual(MEASURES.map(({ id }) => id));
});

test("without halves what needs them is not told, and the rest is", async () => {
  const values = await told([], { ...stack(), halves: null });
  expect([values.noise, values.noiseDb, values.detail, values.error, values["stars.kept"]]).toEqual(
    Array(5).fill(null),
  );
  expect(values.fwhm).toBeGreaterThan(2.9);
});

test("detail kept by a Gaussian is what it keeps of the truth; its grain is even, its noise what the kernel leaves", async () => {
  const input = stack();
  const steps = await chainOf(input, "noise.gaussian", { strength: 1, fwhmPx: 2, keepPoints: false });
  const values = await told(steps, input);
  const views = await evidenceViews({ ...input, picture: frameOfRaster(truth), halves: null }, steps, PLACE, job);
  // What the truth itself keeps, told with no noise in either half.
  const clean = {
    ...(await evidenceViews(input, steps, PLACE, job)),
    halves: { a: views.before, b: views.before },
    treatedHalves: { a: views.after, b: views.after },
  };
  const detail = MEASURES.find(({ id }) => id === "detail");
  const real = detail?.valueOf({ views: clean, job } as unknown as Measured) ?? NaN;
  expect(Math.abs((values.detail ?? NaN) - real)).toBeLessThan(3);
  expect(real).toBeLessThan(97);
  expect(values.evenness).toBeGreaterThan(0.93);
  expect(values.evenness).toBeLessThan(1.07);
  // σ of a Gaussian of 2 px at half height over white noise: 1 / (2 √π · 2/2.355).
  expect(values.noiseDb).toBeCloseTo(20 * Math.log10(2.3548 / 2 / 2 / Math.sqrt(Math.PI)), 0);
});

describe("known changes of a picture", () => {
  const measure = (id: string) => {
    const known = MEASURES.find((one) => one.id === id);
    if (!known) throw new Error(id);
    return known;
  };
  const found = findStars(truth.planes[0], SIDE, SIDE, job.kernels);
  const of = (after: Raster): Measured =>
    ({
      before: truth,
      after,
      starsBefore: found,
      starsAfter: found,
      fwhmPx: 3,
      fullScale: 1,
      job,
      views: { isLinear: true },
    }) as unknown as Measured;
  const changed = (change: (v: number, i: number, c: number) => number): Raster => ({
    ...truth,
    planes: truth.planes.map((plane, c) => plane.map((v, i) => change(v, i, c))),
  });

  test("red 10 % brighter is a colour shift of 10 %", () => {
    expect(measure("starColour").valueOf(of(changed((v, _, c) => (c === 0 ? 1.1 * v : v))))).toBeCloseTo(10, 1);
    expect(measure("starColour").valueOf(of(truth))).toBe(0);
  });

  test("a ring of 8 σ round the brightest star, saturated or not, is the deepest; an untouched picture has none", () => {
    const random = createRandom(3);
    const grains = truth.planes[0].map(() => 0.0004 * random.normal());
    const night = changed((v, i) => v + grains[i]);
    // Gas as fine as this counts as noise.
    const { sigma } = pixelNoise(night.planes[0], SIDE, SIDE, job.kernels);
    const reach = 5 * 3 + 2;
    const [brightest] = found
      .filter(({ x, y }) => Math.min(x, y, SIDE - x, SIDE - y) > reach)
      .sort((a, b) => b.peak - a.peak);
    const ringed = changed((v, i) => {
      const away = Math.hypot((i % SIDE) - brightest.x, Math.floor(i / SIDE) - brightest.y);
      return (Math.abs(away - 7) < 1.2 ? 0.0199 + gas[i] - 8 * sigma : v) + grains[i];
    });
    for (const saturated of [false, true]) {
      const stars = found.map((star) => (star === brightest ? { ...star, saturated } : star));
      const depth = (after: Raster) => measure("ringing").valueOf({ ...of(after), before: night, starsBefore: stars });
      expect(depth(ringed)).toBeGreaterThan(6.5);
      expect(depth(ringed)).toBeLessThan(10);
      expect(depth(night)).toBeLessThan(0.5);
    }
  });

  test("what is driven to black or white is counted", () => {
    const size = SIDE * SIDE;
    const cut = changed((v, i) => (i < size / 100 ? -0.1 : i >= size - size / 50 ? 1 : v));
    expect(measure("clipped").valueOf(of(cut))).toBeCloseTo(3, 1);
  });

  test("a plane of one colour has no colour shift", () => {
    const grey = rasterOf(SIDE, SIDE, [truth.planes[0]]);
    expect(measure("starColour").valueOf({ ...of(grey), before: grey })).toBeNull();
  });
});
