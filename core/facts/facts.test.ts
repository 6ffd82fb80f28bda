import { measureFacts } from "../chain";
import { quietJob } from "../job";
import { STARLET_NOISE } from "../measure";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { createRaster, frameOfRaster, wholeRegion } from "../raster";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import type { FactId, FactValue, FactInput } from "./index";
import { FACTS, factOf, NOISE_SCALES } from "./index";

const job = quietJob(wasmKernels());
const input = (picture: Raster, difference: Raster | null = null, gaps: Uint8Array | null = null): FactInput => ({
  patches: () => Promise.resolve(null),
  noiseGain: () => Promise.resolve(null),
  dropped: [],
  fullScale: 1,
  fact: (fact) => fact.measure(input(picture, difference, gaps), job),
  gaps: () => Promise.resolve([gaps]),
  places: [{ x: 0, y: 0, width: picture.width, height: picture.height }],
  samples: () => Promise.resolve([picture]),
  field: { places: [wholeRegion(picture)], samples: () => Promise.resolve([picture]) },
  halfDifferences: () => Promise.resolve(difference && [difference]),
  untouchedDifferences: () => Promise.resolve(difference && [difference]),
  overview: () => Promise.resolve(picture),
});
const field = paintStars(320, 300, randomStars(60, 320, 300, 4), {
  channels: 3,
  seed: 3,
  noise: 0.0004,
  tint: [1.2, 1, 0.8],
});

function whiteNoise(sigma: number, seed: number, level: number): Raster {
  const random = createRandom(seed);
  const raster = createRaster(300, 300, 1);
  for (let i = 0; i < 90000; i++) raster.planes[0][i] = level + sigma * random.normal();
  return raster;
}

/** Neighbours shared as a resampling by half a pixel shares them. */
function shared({ width, height, planes: [plane] }: Raster): Raster {
  const out = createRaster(width, height, 1);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [x1, y1] = [Math.min(width - 1, x + 1), Math.min(height - 1, y + 1)];
      out.planes[0][y * width + x] =
        (plane[y * width + x] + plane[y * width + x1] + plane[y1 * width + x] + plane[y1 * width + x1]) / 4;
    }
  return out;
}

describe.each(Object.keys(FACTS) as FactId[])("%s", (id) => {
  test("is plain JSON of its schema, the same each time, and has a value for a half", async () => {
    const fact = factOf(id);
    const value = await fact.measure(input(field), job);
    expect(fact.schema.parse(JSON.parse(JSON.stringify(value)))).toEqual(value);
    expect(await fact.measure(input(field), job)).toEqual(value);
    expect(fact.schema.safeParse(fact.noisier(value, Math.SQRT2)).success).toBe(true);
    expect(fact.id).toBe(id);
  });

  test("of a constant and of a tiny picture is known or said to be unknown, never NaN", async () => {
    for (const [width, height] of [
      [1, 1],
      [40, 33],
    ]) {
      const flat = createRaster(width, height, 1);
      flat.planes[0].fill(0.25);
      expect(JSON.stringify(await factOf(id).measure(input(flat), job))).toBe(
        JSON.stringify(await factOf(id).measure(input(flat), job), (_, v: unknown) =>
          typeof v === "number" && !Number.isFinite(v) ? "not finite" : v,
        ),
      );
    }
  });
});

test("noise: white noise has the σ of each starlet scale; shared between neighbours it is measured as such; a half has √2 of it", async () => {
  const white = await FACTS.noise.measure(input(whiteNoise(0.002, 5, 0.1)), job);
  expect(white.from).toBe("picture");
  expect(white.scales[0].length).toBe(NOISE_SCALES);
  // Few coefficients are independent at the coarse scales: only the first four are held to it.
  for (let j = 0; j < 4; j++) expect(white.scales[0][j] / (0.002 * STARLET_NOISE[j])).toBeCloseTo(1, 1);
  expect(white.sigma[0] / 0.002).toBeCloseTo(1, 1);
  expect(white.correlation[0]).toBe(1);
  expect(FACTS.noise.noisier(white, Math.SQRT2).sigma[0] / white.sigma[0]).toBeCloseTo(Math.SQRT2, 12);

  // Mean of four: σ/2 per pixel; half a pixel's bilinear sharing makes the finest scale tell less.
  const soft = await FACTS.noise.measure(input(shared(whiteNoise(0.002, 6, 0.1))), job);
  expect(soft.sigma[0]).toBeLessThan(0.0008);
  expect(Math.abs((soft.sigma[0] * (soft.correlation[0] ?? 0)) / 0.001 - 1)).toBeLessThan(0.05);
});

test("noise comes from the halves where they are, and then stars do not count", async () => {
  const difference = whiteNoise(0.0007, 8, 0);
  const measured = await FACTS.noise.measure(input(field, difference), job);
  expect(measured.from).toBe("halves");
  expect(measured.sigma[0] / 0.0007).toBeCloseTo(1, 1);
});

test("stars: where they were painted, with the offset of their piece", async () => {
  const painted = randomStars(40, 320, 300, 9);
  const picture = paintStars(320, 300, painted, { channels: 1, seed: 5, noise: 0.0004 });
  const moved = { ...input(picture), places: [{ x: 1000, y: 500, width: 320, height: 300 }] };
  const { stars } = await FACTS.stars.measure(moved, job);
  // A blend may lie between its two: most of the twenty brightest found ones are where one was painted.
  const near = stars
    .slice(0, 20)
    .filter(({ x, y }) => painted.some((p) => Math.hypot(x - 1000 - p.x, y - 500 - p.y) < 0.3));
  expect(near.length).toBeGreaterThanOrEqual(16);
  expect(stars.length).toBeGreaterThan(20);
  expect(FACTS.stars.noisier({ stars }, Math.SQRT2).stars[0].snr).toBeCloseTo(stars[0].snr / Math.SQRT2, 9);
});

test("psf: the stars that were painted; sky and levels: the level and noise that were painted", async () => {
  const shape = await FACTS.psf.measure(input(field), job);
  expect(Math.abs((shape.fwhmPx ?? 0) / 3 - 1)).toBeLessThan(0.05);
  const sky = await FACTS.sky.measure(input(field), job);
  const levels = await FACTS.levels.measure({ ...input(field), fullScale: 4 }, job);
  for (let c = 0; c < 3; c++) {
    expect(Math.abs(sky.level[c] - 0.01)).toBeLessThan(0.0004);
    expect(Math.abs(sky.sigma[c] / 0.0004 - 1)).toBeLessThan(0.1);
    expect(sky.brightest[c]).toBe(field.planes[c].reduce((a, b) => Math.max(a, b)));
    expect(Math.abs(levels.level[c] - 0.01)).toBeLessThan(0.0004);
  }
  expect(levels.white).toBe(4);
});

test("measured in a chain: each mode sees its own picture, all facts from one reading", async () => {
  let reads = 0;
  const source = frameOfRaster(field);
  const counted = { ...source, read: (region: Parameters<typeof source.read>[0]) => (reads++, source.read(region)) };
  const input = { picture: counted, halves: null, fill: [0.01, 0.01, 0.01], fullScale: 1 };
  const found = await measureFacts(input, [], [], 0, ["sky@each", "sky@together", "levels@luminance"], job);
  expect(reads).toBe(1);
  const each = found["sky@each"] as FactValue<"sky">[];
  const [together] = found["sky@together"] as FactValue<"sky">[];
  expect(each.map(({ level }) => level[0])).toEqual(together.level);
  const [luminance] = found["levels@luminance"] as FactValue<"levels">[];
  expect(luminance.level.length).toBe(1);
});

test("grain and mixture: a border without data, which is filled alike in both halves, changes neither", async () => {
  const [a, b] = [whiteNoise(0.002, 5, 0.01), whiteNoise(0.002, 6, 0.01)];
  const isGap = (i: number) => i % 300 < 100 || i < 300 * 60;
  const gaps = Uint8Array.from({ length: 90000 }, (_, i) => (isGap(i) ? 1 : 0));
  const framed = (raster: Raster): Raster => {
    const plane = raster.planes[0].map((v, i) => (isGap(i) ? 0.01 : v));
    return { ...raster, planes: [plane] };
  };
  const half = (p: Raster, q: Raster, sign: 1 | -1): Raster => ({
    ...p,
    planes: [p.planes[0].map((v, i) => (v + sign * q.planes[0][i]) / 2)],
  });
  const whole = input(half(a, b, 1), half(a, b, -1));
  const cut = input(half(framed(a), framed(b), 1), half(framed(a), framed(b), -1), gaps);
  const [one, other] = [await FACTS.noiseModel.measure(whole, job), await FACTS.noiseModel.measure(cut, job)];
  expect(Math.sqrt(one.models[0].a) / (0.002 / Math.SQRT2)).toBeCloseTo(1, 1);
  expect(Math.abs(other.models[0].a / one.models[0].a - 1)).toBeLessThan(0.05);
  const middle = one.covariance[0].length >> 1;
  expect(Math.abs(other.covariance[0][middle] - one.covariance[0][middle])).toBeLessThan(0.05);
  const [first] = (await FACTS.mixture.measure(cut, job)).components;
  expect(first.every(({ lambda }) => lambda.every((v) => v >= 0 && v < 0.6))).toBe(true);
});
