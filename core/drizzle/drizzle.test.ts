import { createPlainKernels } from "../kernels";
import { createRandom } from "../numeric/random";
import { quietJob } from "../job";
import type { Raster } from "../raster";
import { frameOfRaster, meanAndDeviation, rasterOf, wholeRegion } from "../raster";
import type { LinearWarp, Warp } from "../register";
import { rotationAbout, shiftBy } from "../register";
import type { PlannedSub, StackPlan } from "../stack";
import { stackSettings } from "../stack";
import { wasmKernels } from "../testing/fixtures";
import { ditherFacts, ditherWarning, drizzledSize, drizzleRegion } from "./index";

const kernels = wasmKernels();
const job = quietJob(kernels);
const SIDE = 96;

function planned(toReference: Warp, i: number, change: Partial<PlannedSub> = {}): PlannedSub {
  const half = i % 2 === 0 ? "A" : "B";
  return {
    id: `${i}`,
    name: `${i}`,
    toReference,
    residualPx: 0,
    pairs: 9,
    scale: 1,
    half,
    trails: [],
    offset: [0, 0, 0].map(() => ({ level: 0, dx: 0, dy: 0 })),
    weight: [1, 1, 1],
    scatter: { noise: [1, 1, 1], signal: [0, 0, 0], fwhmPx: 3 },
    starlight: null,
    local: null,
    vectors: [],
    fullAt: null,
    ...change,
  };
}

const planOf = (used: PlannedSub[], channels = 1, id = "none"): StackPlan => ({
  referenceId: "0",
  pixelsOf: null,
  width: SIDE,
  height: SIDE,
  channels,
  used,
  leftOut: [],
  sky: [0, 0, 0],
  rejection: { id, why: "" },
  fullAt: null,
  scales: null,
});

const picture = (value: (x: number, y: number) => number): Raster =>
  rasterOf(SIDE, SIDE, [Float32Array.from({ length: SIDE * SIDE }, (_, i) => value(i % SIDE, Math.floor(i / SIDE)))]);

const drizzleWith = (drizzle: string, drop: number) => stackSettings.parse({ drizzle, drop });

test("the wasm drops equal their plain twins', at and across the border, turned and in blocks, and no light is lost inside", () => {
  const plain = createPlainKernels();
  const random = createRandom(3);
  const plane = Float32Array.from({ length: 40 * 30 }, () => 5 + random.normal());
  plane[77] = NaN;
  const [cos, sin] = [Math.cos(0.4), Math.sin(0.4)];
  for (const [block, matrices] of [
    [0, Float64Array.from([2 * cos, -2 * sin, 10.3, 2 * sin, 2 * cos, -8.2])],
    [32, Float64Array.from([0, 1].flatMap(() => [1.5, 0, 3.21, 0, 1.5, 20.4]))],
  ] as const) {
    const places = { columns: 40, rows: 30, x: 0, y: 0, block, matrices };
    const [a, b] = [plain, kernels].map((own) => {
      const sums = { columns: 60, rows: 70, light: new Float32Array(4200), area: new Float32Array(4200) };
      own.drizzle(plane, places, 1.3, 0.5, sums);
      own.drizzle(plane, places, 0.4, 2, sums);
      return sums;
    });
    expect(Math.max(...a.light.map((v, i) => Math.abs(v - b.light[i])))).toBeLessThan(1e-5);
    expect(Math.max(...a.area.map((v, i) => Math.abs(v - b.area[i])))).toBeLessThan(1e-5);
  }
  const sums = { columns: 100, rows: 80, light: new Float32Array(8000), area: new Float32Array(8000) };
  const inside = { columns: 40, rows: 30, x: 0, y: 0, block: 0, matrices: Float64Array.from([2, 0, 8.7, 0, 2, 9.1]) };
  kernels.drizzle(plane, inside, 1.6, 1, sums);
  const light = plane.reduce((sum, v) => (v === v ? sum + v : sum), 0);
  expect(sums.light.reduce((sum, v) => sum + v, 0)).toBeCloseTo(1.6 ** 2 * light, 1);
  expect(() => kernels.drizzle(plane, { ...inside, rows: 29 }, 1, 1, sums)).toThrow(RangeError);
  expect(() => kernels.drizzle(plane, inside, 0, 1, sums)).toThrow(RangeError);
});

/** Fruchter & Hook 2002, PASP 114, 144, eqs. 9 and 10: by how much noise over large areas exceeds that per pixel; r is the drop over the pixel. */
const published = (r: number): number => (r >= 1 ? r / (1 - 1 / (3 * r)) : 1 / (1 - r / 3));

test.each([
  ["2", 0.8],
  ["2", 0.4],
  ["1", 1],
  ["1.5", 0.5],
])(
  "noise at %s times the scale and drops of %f is correlated as was published; a level comes back",
  async (drizzle, drop) => {
    const random = createRandom(11);
    const scale = Number(drizzle);
    const used = Array.from({ length: 60 }, (_, i) => planned(shiftBy(7 * random.uniform(), 7 * random.uniform()), i));
    const frames = used.map(() => ({ frame: frameOfRaster(picture(() => 10 + random.normal())), pattern: null }));
    const plan = planOf(used);
    const size = drizzledSize(plan, scale);
    const region = { x: 0, y: 0, ...size };
    const first = frameOfRaster(picture(() => 10));
    const { mean, a, b } = await drizzleRegion(frames, first, plan, drizzleWith(drizzle, drop), region, job);
    const margin = Math.ceil(9 * scale);
    const cut = (plane: Float32Array, x: number, y: number, side: number) =>
      Array.from({ length: side * side }, (_, k) => plane[(y + Math.floor(k / side)) * size.width + x + (k % side)]);
    const inner = cut(mean.planes[0], margin, margin, size.width - 2 * margin);
    const pixel = meanAndDeviation(inner);
    expect(pixel.mean).toBeCloseTo(10, 1);
    // Over large areas all light counts alike: noise of σ 1 in each of 60 subs, on pixels `scale` times as fine.
    const large = scale / Math.sqrt(used.length);
    expect(large / pixel.sigma / published(drop * scale)).toBeGreaterThan(0.94);
    expect(large / pixel.sigma / published(drop * scale)).toBeLessThan(1.06);
    // The halves together are the whole.
    const k = 40 * size.width + 40;
    expect(Math.min(a.planes[0][k], b.planes[0][k])).toBeLessThan(mean.planes[0][k]);
    expect(Math.max(a.planes[0][k], b.planes[0][k])).toBeGreaterThan(mean.planes[0][k]);
  },
);

test("a hit and a trail are taken out, star flanks are not; drops of turned, brighter subs come to the reference's light", async () => {
  const star = (x: number, y: number) => 500 * Math.exp(-((x - 50) ** 2 + (y - 45) ** 2) / (2 * 1.3 ** 2));
  const random = createRandom(5);
  const used = Array.from({ length: 12 }, (_, i) => {
    const turn = rotationAbout((i * Math.PI) / 6, 48, 48, 3 * random.uniform(), 3 * random.uniform());
    const offset = [0, 0, 0].map(() => ({ level: -5, dx: 0.01, dy: 0 }));
    return planned(turn, i, { scale: 0.5, offset });
  });
  const frames = used.map(({ toReference }, i) => {
    const [p, q, r, s, t, u] = (toReference as LinearWarp).matrix;
    const frame = picture((x, y) => {
      const [rx, ry] = [p * x + q * y + r, s * x + t * y + u];
      return (star(rx, ry) + 5 - 0.01 * rx + random.normal()) / 0.5;
    });
    if (i === 3) frame.planes[0][40 * SIDE + 60] += 400;
    return { frame: frameOfRaster(frame), pattern: null };
  });
  const settings = drizzleWith("1", 0.9);
  const plan = planOf(used, 1, "expected");
  const region = wholeRegion({ width: SIDE, height: SIDE });
  const piece = await drizzleRegion(frames, frameOfRaster(picture(star)), plan, settings, region, job);
  const [plane] = piece.mean.planes;
  expect(plane[20 * SIDE + 48]).toBeCloseTo(0, -0.5);
  expect(plane[45 * SIDE + 50]).toBeGreaterThan(400);
  let worst = 0;
  for (let y = 25; y < 70; y++)
    for (let x = 25; x < 70; x++)
      if (Math.hypot(x - 50, y - 45) > 8) worst = Math.max(worst, Math.abs(plane[y * SIDE + x]));
  expect(worst).toBeLessThan(2);
  expect(piece.above.reduce((sum, v) => sum + v, 0)).toBeGreaterThan(0.5);
  expect(piece.rejected / piece.samples).toBeLessThan(0.004);
  const trail = { angle: 0, offsetPx: 30, share: 1, below: 2, above: 2 };
  const lined = planOf(
    used.map((sub) => ({ ...sub, trails: [trail] })),
    1,
    "expected",
  );
  const without = await drizzleRegion(frames, frameOfRaster(picture(star)), lined, settings, region, job);
  expect(without.rejected - piece.rejected).toBeGreaterThan(12 * 4 * 90);
});

test("of a mosaic each pixel brings its own colour; coverage counts subs", async () => {
  const random = createRandom(8);
  const used = Array.from({ length: 40 }, (_, i) => planned(shiftBy(4 * random.uniform(), 4 * random.uniform()), i));
  const colours = [10, 20, 30];
  const frames = used.map(() => ({
    frame: frameOfRaster(
      picture((x, y) => colours["RGGB".charAt((y & 1) * 2 + (x & 1)) === "R" ? 0 : (y & 1) !== (x & 1) ? 1 : 2]),
    ),
    pattern: "RGGB" as const,
  }));
  const first = frameOfRaster(
    rasterOf(
      SIDE,
      SIDE,
      colours.map((v) => new Float32Array(SIDE * SIDE).fill(v)),
    ),
  );
  const region = { x: 20, y: 20, width: 60, height: 60 };
  const piece = await drizzleRegion(frames, first, planOf(used, 3, "expected"), drizzleWith("1", 1), region, job);
  colours.forEach((v, c) => expect(Math.max(...piece.mean.planes[c].map((w) => Math.abs(w - v)))).toBeLessThan(1e-3));
  expect(meanAndDeviation(piece.coverage).mean).toBeCloseTo(40, 0);
  expect(piece.rejected).toBe(0);
});

test("subs without dither, or too few, are warned of with the figure; many well dithered ones are not", () => {
  const random = createRandom(2);
  const many = Array.from({ length: 40 }, (_, i) => planned(shiftBy(9 * random.uniform(), 9 * random.uniform()), i));
  const still = many.map((_, i) => planned(shiftBy(0, 0), i));
  const good = ditherFacts(planOf(many), 2, 0.8, kernels);
  expect(good.spread).toBeLessThan(0.15);
  expect(ditherWarning(good, 40, 1)).toBeNull();
  const bad = ditherFacts(planOf(still), 2, 0.4, kernels);
  // Each pixel's drop of 0.8 px lies in the middle of four: all get the same; smaller drops on a grid of three leave most empty.
  const worse = ditherFacts(planOf(still), 3, 0.3, kernels);
  expect(bad.thin).toBeLessThanOrEqual(worse.thin);
  expect(worse.thin).toBeGreaterThan(0.8);
  expect(ditherWarning(worse, 40, 1)).toMatch(/89 % of the pixels get less than a third of the mean: 40 subs/);
  expect(ditherFacts(planOf(many.slice(0, 5)), 2, 0.5, kernels, 2).thin).toBeGreaterThan(good.thin);
});
