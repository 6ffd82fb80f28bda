import type { ChainInput, ChainStep, StepFacts } from "../chain";
import { measureChain, newStep, readySteps } from "../chain";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import { findSkyPatches } from "../measure";
import { findOperation } from "../operations";
import { frameOfRaster, rasterOf } from "../raster";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import type { EqualMeasure } from "./index";
import { atStrength, decidingStep, equalPart, equalReading, strengthFor } from "./index";

const job = quietJob(wasmKernels());
const SIDE = 256;

function input(sigma: number) {
  const { planes } = paintStars(SIDE, SIDE, randomStars(30, SIDE, SIDE, 5), { noise: 0 });
  const random = createRandom(7);
  const [a, b] = [0, 1].map(() => planes[0].map((v) => v + Math.SQRT2 * sigma * random.normal()));
  const picture = frameOfRaster(rasterOf(SIDE, SIDE, [a.map((v, i) => (v + b[i]) / 2)]));
  const halves = { a: frameOfRaster(rasterOf(SIDE, SIDE, [a])), b: frameOfRaster(rasterOf(SIDE, SIDE, [b])) };
  return { picture, halves, fill: [0.01], fullScale: 1 };
}

const stepOf = (id: string, params: Record<string, unknown> = {}): ChainStep => {
  const operation = findOperation(id);
  if (!operation) throw new Error(id);
  const fresh = newStep(operation);
  return { ...fresh, params: { ...fresh.params, ...params } };
};

async function laneOf(steps: ChainStep[], measure: EqualMeasure, sigma = 0.001) {
  const of = input(sigma);
  const facts = await measureChain(of, steps, job);
  return {
    input: of,
    steps,
    facts,
    index: decidingStep(steps, measure),
  };
}

const REGION = { x: 32, y: 32, width: 192, height: 192 };
interface Lane {
  input: ChainInput;
  steps: ChainStep[];
  facts: StepFacts[];
  index: number;
}
const reader =
  ({ input, steps, facts, index }: Lane, measure: EqualMeasure, region = REGION) =>
  async (strength: number | null) => {
    const lane = { input, steps: readySteps(atStrength(steps, index, strength), facts) };
    return equalReading([await equalPart(lane, region, measure, job)], measure);
  };
const measureAt = async (lane: Lane, measure: EqualMeasure) => (await reader(lane, measure)(null)).value;
const strengthOf = (lane: Lane, target: number, measure: EqualMeasure) => strengthFor(reader(lane, measure), target);

test.each([[null], [1]])("equal noise: three approaches meet a fourth's within 1 %%, at scale %s", async (scale) => {
  const measure: EqualMeasure = { of: "noise", scale };
  const target = await measureAt(await laneOf([stepOf("noise.gaussian", { strength: 0.6 })], measure), measure);
  for (const id of ["noise.mixture", "noise.starlet", "noise.total-variation"]) {
    const lane = await laneOf([stepOf(id)], measure);
    const { strength, reached, isReached } = await strengthOf(lane, target, measure);
    expect([id, isReached]).toEqual([id, true]);
    expect(Math.abs(reached / target - 1)).toBeLessThan(0.01);
    // The lane that is set to it measures so.
    const set = { ...lane, steps: [stepOf(id, { strength })] };
    expect(await measureAt(set, measure)).toBeCloseTo(reached, 9);
  }
});

test("what strength cannot reach is said: its nearer end, and not reached", async () => {
  const measure: EqualMeasure = { of: "noise", scale: null };
  const lane = await laneOf([stepOf("noise.gaussian")], measure);
  const untouched = await measureAt({ ...lane, steps: [stepOf("noise.gaussian", { strength: 0 })] }, measure);
  expect(untouched).toBeGreaterThan(0.00096);
  expect(untouched).toBeLessThan(0.00104);
  expect(await strengthOf(lane, 0.01, measure)).toMatchObject({ strength: 0, isReached: false });
  expect(await strengthOf(lane, 1e-7, measure)).toMatchObject({ strength: 1, isReached: false });
  const without = { ...lane, input: { ...lane.input, halves: null } };
  expect(await measureAt(without, measure)).toBeNaN();
});

test("equal sharpness: stars set apart meet a width", async () => {
  const measure: EqualMeasure = { of: "width" };
  const lane = await laneOf(
    [stepOf("noise.gaussian", { strength: 0.2 }), stepOf("deconvolve.stars-apart")],
    measure,
    0.0002,
  );
  expect(lane.index).toBe(1);
  const { reached, isReached, strength } = await strengthOf(lane, 2.5, measure);
  expect(isReached).toBe(true);
  expect(Math.abs(reached / 2.5 - 1)).toBeLessThan(0.01);
  expect(strength).toBeGreaterThan(0.1);
  expect(strength).toBeLessThan(0.9);
});

test("equal grain in patches of sky needs no halves, and adds up over them", async () => {
  const measure: EqualMeasure = { of: "patches" };
  const lane = await laneOf([stepOf("noise.mixture")], measure);
  const alone = { ...lane, input: { ...lane.input, halves: null } };
  const raster = await alone.input.picture.read(REGION);
  const [patch] = findSkyPatches([{ raster, x: REGION.x, y: REGION.y, gaps: null }], job.kernels);
  const place = {
    x: Math.round(patch.x - patch.side / 2),
    y: Math.round(patch.y - patch.side / 2),
    width: patch.side,
    height: patch.side,
  };
  const read = reader(alone, measure, place);
  const untouched = await read(0);
  // White noise over 1 … 8 px: all of it but what is coarser, 0.5 %.
  expect(untouched.value).toBeGreaterThan(0.00092);
  expect(untouched.value).toBeLessThan(0.00108);
  const { reached, isReached } = await strengthFor(read, untouched.value / 2);
  expect(isReached).toBe(true);
  expect(Math.abs((2 * reached) / untouched.value - 1)).toBeLessThan(0.01);
  const part = (pixels: number, variance: number) => ({ pixels, variance, scales: [], stars: [] });
  expect(equalReading([part(100, 4), part(300, 8)], measure).value).toBeCloseTo(Math.sqrt(7), 12);
});
