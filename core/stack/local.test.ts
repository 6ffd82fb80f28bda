import { createRandom } from "../numeric/random";
import type { ListedStar } from "../measure";
import { quietJob } from "../job";
import { measureSub } from "../measure";
import type { Raster } from "../raster";
import { createRaster, frameOfRaster, rasterOf, robustSpread, wholeRegion } from "../raster";
import { IDENTITY, shiftBy } from "../register";
import { createNight, exposeSub } from "../simulate";
import { SHARES, wasmKernels } from "../testing/fixtures";
import type { StackSettings, SubFacts } from "./index";
import { levelMesh, levelsInRow, planStack, stackRegion, stackSettings, withLocalLevels } from "./index";
import { applyLocalLevels } from "./localLevels";
import { starlightAt, starlightField } from "./starlight";

const kernels = wasmKernels();
const job = quietJob(kernels);
const [WIDTH, HEIGHT] = [420, 320];

test("levels that lie on a plane are kept to the last digit, also beyond the outermost nodes; a single node is a constant", () => {
  const mesh = { step: 64, columns: 7, rows: 5 };
  const at = (k: number) => (k + 0.5) * 64 - 0.5;
  const nodes = Array.from({ length: 35 }, (_, k) => 3 + 0.01 * at(k % 7) - 0.02 * at(Math.floor(k / 7)));
  const samples = createRaster(WIDTH, HEIGHT, 1);
  const gain = nodes.map(() => 2);
  applyLocalLevels(samples, wholeRegion(samples), { ...mesh, gain, offset: [nodes] });
  for (const [x, y] of [
    [0, 0],
    [419, 319],
    [200, 10],
  ])
    expect(samples.planes[0][y * WIDTH + x]).toBeCloseTo(3 + 0.01 * x - 0.02 * y, 5);
  const one = rasterOf(2, 1, [Float32Array.of(1, NaN)]);
  applyLocalLevels(
    one,
    { x: 5, y: 9, width: 2, height: 1 },
    { step: 64, columns: 1, rows: 1, gain: [3], offset: [[1]] },
  );
  expect([...one.planes[0]]).toEqual([4, NaN]);
});

test("thin cloud that differs over the field is found in the stars, and noise makes none", () => {
  const random = createRandom(4);
  const size = { width: 1000, height: 800 };
  const stars = (count: number, gain: (x: number, y: number) => number): [ListedStar[], ListedStar[]] => {
    const reference = Array.from({ length: count }, () => {
      const [x, y] = [1000 * random.uniform(), 800 * random.uniform()];
      return { x, y, flux: 10 + 100 * random.uniform(), snr: 100, saturated: false };
    });
    const own = reference.map((star) => {
      const flux = (star.flux / 1.3 / gain(star.x, star.y)) * (1 + 0.01 * random.normal());
      return { ...star, x: star.x - 3, flux };
    });
    return [own, reference];
  };
  const cloud = (x: number, y: number) => 1 + 0.1 * ((x - 500) / 500) ** 2 - 0.08 * ((y - 400) / 400);
  const [own, reference] = stars(200, cloud);
  const field = starlightField(own, reference, shiftBy(3, 0), 1.3, size);
  for (const [x, y] of [
    [100, 100],
    [500, 400],
    [900, 700],
  ])
    expect(field && starlightAt(field, x, y)).toBeCloseTo(cloud(x, y), 1.9);
  let fields = 0;
  for (let k = 0; k < 40; k++) {
    const [even, others] = stars(60, () => 1);
    if (starlightField(even, others, shiftBy(3, 0), 1.3, size)) fields++;
  }
  expect(fields).toBeLessThanOrEqual(4);
  expect(starlightField([], reference, IDENTITY, 1, size)).toBeNull();
});

interface UnevenNight {
  facts: SubFacts[];
  rasters: Raster[];
}

let uneven: UnevenNight | null = null;
/** A night whose sky has a glow of its own in each sub, made once. */
const unevenNight = (): UnevenNight => (uneven ??= makeUnevenNight());

function makeUnevenNight(): UnevenNight {
  const night = createNight({ subs: 8, seed: 21, width: WIDTH, height: HEIGHT });
  const random = createRandom(9);
  const rasters = night.subs.map((conditions) => {
    const raster = exposeSub(night.sky, night.camera, conditions, 21, kernels);
    const [cx, cy] = [WIDTH * random.uniform(), HEIGHT * random.uniform()];
    const height = 6 * robustSpread(raster.planes[0].map((v, i, all) => v - all[Math.max(0, i - 1)])).sigma;
    const glow = (i: number) =>
      height * Math.exp(-(((i % WIDTH) - cx) ** 2 + (Math.floor(i / WIDTH) - cy) ** 2) / (2 * 110 ** 2));
    return { ...raster, planes: raster.planes.map((plane) => plane.map((v, i) => v + glow(i))) };
  });
  const facts = rasters.map((raster, i) => ({
    id: `sub${i}`,
    name: `sub${i}`,
    width: WIDTH,
    height: HEIGHT,
    channels: 3,
    exposureS: 120,
    ...measureSub(raster, kernels, { unit: SHARES }),
    unit: SHARES,
  }));
  return { facts, rasters };
}

test("skies that changed unevenly are levelled place by place: halves agree, and less is rejected; no mesh is seen without it", async () => {
  const { facts, rasters } = unevenNight();
  const stackWith = async (settings: StackSettings) => {
    let plan = planStack(facts, settings);
    const sources = plan.used.map(({ id }) => frameOfRaster(rasters[Number(id.slice(3))]));
    if (settings.normalise === "local") {
      const rows = [];
      for (let row = 0; row < levelMesh(plan, settings).rows; row++)
        rows.push(await levelsInRow(sources, plan, settings, row, kernels));
      plan = withLocalLevels(plan, settings, rows);
      expect(plan.used.every(({ local }) => local?.offset[0].every(Number.isFinite))).toBe(true);
    } else expect(plan.used.every(({ local }) => local === null)).toBe(true);
    const piece = await stackRegion(sources, plan, settings, wholeRegion(plan), 64 * 2 ** 20, job);
    const difference = piece.a.planes[1].map((v, i) => (v - piece.b.planes[1][i]) / 2);
    // Means of 16 px blocks, in which the sky's unevenness is far above the noise.
    const blocks = Array.from({ length: 18 * 24 }, (_, k) => {
      const [x0, y0] = [10 + 16 * (k % 24), 10 + 16 * Math.floor(k / 24)];
      let sum = 0;
      for (let p = 0; p < 256; p++) sum += difference[(y0 + (p >> 4)) * WIDTH + x0 + (p & 15)] / 256;
      return sum;
    });
    return { spread: robustSpread(blocks).sigma, share: piece.rejected / piece.samples };
  };
  const plain = await stackWith(stackSettings.parse({}));
  const local = await stackWith(stackSettings.parse({ normalise: "local", patchPx: 64 }));
  expect(local.spread).toBeLessThan(0.35 * plain.spread);
  expect(local.share).toBeLessThan(0.6 * plain.share);
});

test("what patches do not share with their neighbours is no unevenness: such subs stay as they are", async () => {
  const { facts } = unevenNight();
  const settings = stackSettings.parse({ normalise: "local", patchPx: 64 });
  const plan = planStack(facts, settings);
  const used = plan.used.map((sub) => ({ ...sub, starlight: null }));
  const random = createRandom(3);
  const { columns, rows } = levelMesh(plan, settings);
  const levelsOf = (level: (column: number, row: number) => number) => (sub: (typeof used)[number], row: number) =>
    sub.scatter.noise.map((variance) =>
      Array.from({ length: columns }, (_, column) => Math.sqrt(variance) * level(column, row)),
    );
  const noise = levelsOf(() => 0.03 * random.normal());
  const slope = levelsOf((column, row) => 0.1 * (column - row) + 0.03 * random.normal());
  const measured = Array.from({ length: rows }, (_, row) => used.map((sub, i) => (i === 0 ? slope : noise)(sub, row)));
  const levelled = withLocalLevels({ ...plan, used }, settings, measured).used;
  expect(levelled.slice(1).map(({ local }) => local)).toEqual(used.slice(1).map(() => null));
  expect(levelled[0].local?.offset[0][columns - 1]).toBeCloseTo(-measured[0][0][0][columns - 1], 12);
});
