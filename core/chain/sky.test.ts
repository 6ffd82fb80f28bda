// Noise measured from patches of sky, and what varies in them before and after a step.
import { quietJob } from "../job";
import type { SkyPatch } from "../measure";
import { STARLET_NOISE } from "../measure";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import type { AnyOperation } from "../operations";
import type { Raster } from "../raster";
import { createRaster, frameOfRaster } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import type { ChosenPatches } from "../parameters";
import type { ChainStep, StepFacts } from "./index";
import { factsNeeded, measureChain, measureFacts, newStep, parseChain, placedStep, skyReadout } from "./index";

const job = quietJob(wasmKernels());
const SIZE = { width: 320, height: 256 };
const LEVEL = 0.02;

/** Sky that brightens to the right, noise of σ, a star every 80 px of the right half, and no data at the left border. */
function skyLike(sigma: number, seed: number, channels = 1): Raster {
  const random = createRandom(seed);
  const raster = createRaster(SIZE.width, SIZE.height, channels);
  for (const plane of raster.planes)
    for (let i = 0; i < plane.length; i++) {
      const [x, y] = [i % SIZE.width, Math.floor(i / SIZE.width)];
      const star = x > 160 ? 0.3 * Math.exp(-((((x % 80) - 40) ** 2 + ((y % 80) - 40) ** 2) / 4)) : 0;
      plane[i] = x < 6 ? NaN : LEVEL + 1e-5 * x + star + sigma * random.normal();
    }
  return raster;
}

const inputOf = (picture: Raster, halves: [Raster, Raster] | null = null) => ({
  picture: frameOfRaster(picture),
  halves: halves && { a: frameOfRaster(halves[0]), b: frameOfRaster(halves[1]) },
  fill: picture.planes.map(() => LEVEL),
  fullScale: 1,
});
const gaussian = findOperation("noise.gaussian") as AnyOperation;
const stepWith = (skyPatches: ChosenPatches | null, part: Partial<ChainStep> = {}): ChainStep => ({
  ...newStep(gaussian),
  ...part,
  params: { ...gaussian.parameters.defaults, ...part.params, skyPatches },
});
const patch = (x: number, y: number, side = 64): SkyPatch => ({ id: `${x}`, x, y, side });
const PATCHES = [patch(60, 60), patch(60, 180), patch(130, 120)];
/** The noise that a step takes for true. */
const grainOf = async (picture: Raster, halves: [Raster, Raster] | null, sky: ChosenPatches | null) => {
  const [facts] = await measureChain(inputOf(picture, halves), [stepWith(sky)], job);
  const [[, value]] = Object.entries(facts).filter(([key]) => key.startsWith("noiseModel@"));
  return (value as { models: { a: number }[]; covariance: number[][]; from: string }[])[0];
};

test("patches are found where there is no star, no gap, and little light", async () => {
  const found = await measureFacts(inputOf(skyLike(1e-3, 1)), [], [], 0, ["skyPatches@untouched"], job);
  const patches = (found["skyPatches@untouched"] as SkyPatch[][])[0];
  expect(patches.length).toBe(6);
  for (const { x, y, side } of patches) {
    expect(x - side / 2).toBeGreaterThanOrEqual(6);
    const holdsStar = [200, 280].some((u) =>
      [40, 120, 200].some((v) => Math.max(Math.abs(x - u), Math.abs(y - v)) < side / 2 + 2),
    );
    expect(holdsStar).toBe(false);
  }
  expect(new Set(patches.map(({ x, y }) => `${x} ${y}`)).size).toBe(6);
});

test("noise from patches is that in the patches, whatever the halves say, and correlated as there", async () => {
  const sigma = 1e-3;
  const halves: [Raster, Raster] = [skyLike(sigma / 2, 5), skyLike(sigma / 2, 6)];
  const told = await grainOf(skyLike(sigma, 4), halves, { patches: PATCHES, forNoise: true });
  expect(told.from).toBe("patches");
  expect(Math.sqrt(told.models[0].a) / sigma).toBeGreaterThan(0.95);
  expect(Math.sqrt(told.models[0].a) / sigma).toBeLessThan(1.05);
  const side = Math.sqrt(told.covariance[0].length);
  const middle = (side * side - 1) / 2;
  expect(Math.abs(told.covariance[0][middle + 1] / told.covariance[0][middle])).toBeLessThan(0.05);
  const [own, kept] = [null, { patches: PATCHES, forNoise: false }];
  for (const sky of [own, kept]) {
    const fromHalves = await grainOf(skyLike(sigma, 4), halves, sky);
    expect([fromHalves.from, fromHalves.models[0].a < 0.3 * sigma ** 2]).toEqual(["halves", true]);
  }
});

test("noise of neighbours that are alike is found to be so", async () => {
  const picture = skyLike(1e-3, 7);
  const plane = picture.planes[0];
  // The mean of a pixel and the one to its left: they share half of their variance.
  const shared = plane.map((v, i) => (i % SIZE.width > 0 ? (v + plane[i - 1]) / 2 : v));
  const { covariance } = await grainOf({ ...picture, planes: [shared] }, null, { patches: PATCHES, forNoise: true });
  const middle = (covariance[0].length - 1) / 2;
  expect(covariance[0][middle + 1] / covariance[0][middle]).toBeCloseTo(0.5, 1);
  expect(covariance[0][middle + 17] / covariance[0][middle]).toBeCloseTo(0, 1);
});

test("patches beside the picture are left out; with none on it the error says what to do", async () => {
  const far = patch(5000, 10);
  const some = await grainOf(skyLike(1e-3, 4), null, { patches: [far, ...PATCHES], forNoise: true });
  expect(some.models[0].a).toBeGreaterThan(0);
  await expect(grainOf(skyLike(1e-3, 4), null, { patches: [far], forNoise: true })).rejects.toThrow(/sky patches/);
});

test("the readout shows white noise scale by scale, and what a step leaves of it", async () => {
  const [sigma, blend] = [1e-3, 0.4];
  const input = inputOf(skyLike(sigma, 8, 3));
  const steps = [stepWith(null, { params: { ...gaussian.parameters.defaults, keepPoints: false }, blend })];
  const facts: StepFacts[] = await measureChain(input, steps, job);
  const readout = await skyReadout(input, steps, facts, 0, PATCHES, job);
  if (!readout) throw new Error("no readout");
  expect(readout.rows.map(({ of }) => of)).toEqual(["channel", "channel", "channel", "luminance", "chrominance"]);
  const [red, , , light, colour] = readout.rows;
  red.before.scales.slice(0, 3).forEach((v, j) => expect(v / sigma / STARLET_NOISE[j]).toBeCloseTo(1, 1));
  // A mean of three has σ/√3; what differs from it √(2/3) σ in the root of the mean square.
  expect(light.before.sigma / sigma).toBeCloseTo(Math.sqrt(1 / 3), 1);
  expect(colour.before.sigma / sigma).toBeCloseTo(Math.sqrt(2 / 3), 1);
  // At the finest scale the Gaussian takes nearly all: what stays is what was not blended.
  expect(red.after.scales[0] / red.before.scales[0]).toBeGreaterThan(1 - blend - 0.01);
  expect(red.after.scales[0] / red.before.scales[0]).toBeLessThan(1 - blend + 0.1);
  expect(await skyReadout(input, steps, facts, 0, [patch(9999, 9999)], job)).toBeNull();
});

test("how noise grows with the light is measured: shot noise doubles the variance of the dark at the light of the dark", async () => {
  const [gain, subs, ADU] = [0.8, 10, 65535];
  // A wedge of light on 200 ADU; each half is the mean of half of the subs, its variance that of so many electrons.
  const wedge = (seed: number, of: number): Raster => {
    const random = createRandom(seed);
    const raster = createRaster(SIZE.width, SIZE.height, 1);
    for (let i = 0; i < raster.planes[0].length; i++) {
      const adu = 200 + 20 * (i % SIZE.width);
      raster.planes[0][i] = (adu + Math.sqrt(adu / (gain * of)) * random.normal()) / ADU;
    }
    return raster;
  };
  const [a, b] = [wedge(11, subs / 2), wedge(12, subs / 2)];
  const mean = { ...a, planes: [a.planes[0].map((v, i) => (v + b.planes[0][i]) / 2)] };
  const input = inputOf(mean, [a, b]);
  const steps = [stepWith(null)];
  const readout = await skyReadout(input, steps, await measureChain(input, steps, job), 0, PATCHES, job);
  const { sigma, doubles, from } = readout?.noise ?? { sigma: [], doubles: [], from: "" };
  expect(from).toBe("halves");
  // Its dark end is the first percentile of the wedge, some 260 ADU.
  expect((sigma[0] * ADU) / Math.sqrt(260 / (gain * subs))).toBeCloseTo(1, 1);
  expect(((doubles[0] ?? 0) * ADU) / 260).toBeGreaterThan(0.85);
  expect(((doubles[0] ?? 0) * ADU) / 260).toBeLessThan(1.15);
});

test("patches move with the sky onto another stack, are part of the chain file, and of what a fact is known by", () => {
  const sky = { patches: [patch(10, 20)], forNoise: true };
  const moved = placedStep(stepWith(sky), { kind: "shift", matrix: [1, 0, 5, 0, 1, -7] });
  expect((moved.params.skyPatches as ChosenPatches).patches[0]).toMatchObject({ x: 15, y: 13, side: 64 });
  const file = { format: "dunkel-chain", version: 3, steps: [stepWith(sky)] };
  const read = parseChain(JSON.parse(JSON.stringify(file)));
  expect(read.ok && read.value.steps[0].params.skyPatches).toEqual(sky);
  const bad = parseChain({ ...file, steps: [stepWith({ patches: [], forNoise: true })] });
  expect(!bad.ok && bad.reason.field).toBe("steps.0.params.skyPatches.patches");
  // Until version 2 they lay beside the parameters.
  const { skyPatches: _, ...params } = stepWith(sky).params;
  const old = { ...stepWith(sky), params, sky: { patches: sky.patches, tellNoise: true }, dropped: [] };
  const migrated = parseChain({ ...file, version: 2, steps: [old] });
  expect(migrated.ok && migrated.value.steps[0]).toEqual(stepWith(sky));
  expect(factsNeeded(stepWith(sky))).not.toEqual(factsNeeded(stepWith(null)));
  expect(factsNeeded(stepWith({ ...sky, forNoise: false }))).toEqual(factsNeeded(stepWith(null)));
});
