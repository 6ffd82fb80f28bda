import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import { createRaster, cropRaster, frameOfRaster, rasterOf, tilesOf, wholeRegion } from "../raster";
import { linear, meshOver } from "../register";
import { plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";
import type { Layer, Streamed } from "./index";
import { cube, rejectorOf, sampleLayer, streaming, weightsOn } from "./index";

const SIZE = { width: 37, height: 23 };
const job = quietJob(plainKernels());
const random = createRandom(11);
const COUNT = 60;
/** Layers on a large level, as planets are, with gaps in some. */
const layers = Array.from({ length: COUNT }, (_, i) => {
  const raster = createRaster(SIZE.width, SIZE.height, 2);
  raster.planes.forEach((plane, c) =>
    plane.forEach((_v, p) => (plane[p] = i % 7 === 0 && p % 5 === 0 ? NaN : 1000 * (c + 1) + p + random.normal())),
  );
  return raster;
});
const weights = layers.map((_, i) => 0.5 + (i % 4));

async function streamed(tileHeight: number, weight = (i: number): number | Float32Array => weights[i]) {
  const out: Streamed[] = [];
  const tiles = tilesOf(wholeRegion(SIZE), SIZE.width, tileHeight);
  const read = (i: number, tile: Parameters<typeof cropRaster>[1]) => Promise.resolve(cropRaster(layers[i], tile));
  const half = (i: number) => (i % 2 === 0 ? ("A" as const) : ("B" as const));
  const peak = await streaming.run({ count: COUNT, channels: 2, read, weight, half }, tiles, job, ({ channels }) =>
    out.push(channels[1]),
  );
  const joined = (of: (part: Streamed) => ArrayLike<number>) =>
    Float64Array.from(out.flatMap((part) => [...Array.from(of(part))]));
  return {
    peak,
    mean: joined(({ mean }) => mean),
    a: joined(({ a }) => a),
    variance: joined(({ variance }) => variance),
    least: joined(({ least }) => least),
    most: joined(({ most }) => most),
    coverage: joined(({ coverage }) => coverage),
  };
}

test("mean, halves, variance, extremes and coverage are those of a second pass over all samples", async () => {
  const got = await streamed(SIZE.height);
  for (const p of [0, 5, 17, 400, 850]) {
    const all = layers.flatMap((layer, i) =>
      Number.isNaN(layer.planes[1][p]) ? [] : [{ v: layer.planes[1][p], w: weights[i], i }],
    );
    const mean = (of: typeof all) => of.reduce((s, { v, w }) => s + w * v, 0) / of.reduce((s, { w }) => s + w, 0);
    const m = mean(all);
    expect(got.mean[p]).toBeCloseTo(m, 3);
    expect(got.a[p]).toBeCloseTo(mean(all.filter(({ i }) => i % 2 === 0)), 3);
    const sum = all.reduce((s, { v, w }) => s + w * (v - m) ** 2, 0) / all.reduce((s, { w }) => s + w, 0);
    expect(got.variance[p]).toBeCloseTo((sum * all.length) / (all.length - 1), 4);
    expect(got.least[p]).toBe(Math.min(...all.map(({ v }) => v)));
    expect(got.most[p]).toBe(Math.max(...all.map(({ v }) => v)));
    expect(got.coverage[p]).toBe(all.length);
  }
});

test("tiles and their number change nothing; memory does not grow with the layers", async () => {
  const [whole, cut] = [await streamed(SIZE.height), await streamed(4)];
  expect(cut.mean).toEqual(whole.mean);
  expect(cut.variance).toEqual(whole.variance);
  expect(cut.peak).toBe((whole.peak * 4) / SIZE.height);
  const read = () => Promise.resolve(layers[1]);
  const many = { count: 3000, channels: 2, read, weight: () => 1, half: () => "A" as const };
  let variance = NaN;
  const peak = await streaming.run(
    many,
    [wholeRegion(SIZE)],
    job,
    ({ channels }) => (variance = channels[0].variance[3]),
  );
  expect(peak).toBe(whole.peak);
  // The same layer thousands of times scatters by nothing, however many there are.
  expect(variance).toBeLessThan(1e-12);
});

test("without rejection it is what the cube makes of the same layers, to single precision", async () => {
  const got = await streamed(SIZE.height);
  const how = { by: "mean" as const, rejector: rejectorOf("none"), limits: { low: 3, high: 3 } };
  const read = (i: number, tile: Parameters<typeof cropRaster>[1]) => Promise.resolve(cropRaster(layers[i], tile));
  const of = { count: COUNT, channels: 2, read, weights: () => weights };
  await cube(how).run(of, [wholeRegion(SIZE)], job, ({ channels }) => {
    expect(worstDifference(channels[1].mean, Float32Array.from(got.mean))).toBeLessThan(2e-3);
    expect([...channels[1].coverage]).toEqual([...got.coverage]);
  });
});

test("weights by place: bilinear between the nodes of a map; 0 leaves a sample out", async () => {
  const map = { step: 10, columns: 5, rows: 4, values: [Float32Array.from({ length: 20 }, (_, k) => k % 5)] };
  const layer: Pick<Layer, "weights"> = { weights: map };
  const tile = { x: 5, y: 3, width: 20, height: 2 };
  const on = weightsOn(layer, tile, 0) as Float32Array;
  expect([on[0], on[5], on[19]].map((v) => Number(v.toFixed(6)))).toEqual([0.5, 1, 2.4]);
  expect(weightsOn({ weights: [3, 4] }, tile, 1)).toBe(4);
  const left = (i: number) => new Float32Array(SIZE.width * SIZE.height).fill(i < 30 ? 1 : 0);
  const got = await streamed(SIZE.height, left);
  expect(Math.max(...got.coverage)).toBe(30);
});

test("a layer on a mesh is sampled at its places, scaled and offset", async () => {
  const ramp = rasterOf(90, 80, [Float32Array.from({ length: 7200 }, (_, i) => i % 90)]);
  const placement = meshOver({ x: 0, y: 0, width: 60, height: 50 }, 8, linear([1, 0, 12, 0, 1, 10]), (x, y) => [
    Math.sin(x / 15),
    Math.cos(y / 15),
  ]);
  const layer = { frame: frameOfRaster(ramp), placement, scale: 2, offset: [{ level: 5, dx: 0.5, dy: 0 }] };
  const tile = { x: 20, y: 12, width: 9, height: 7 };
  const { planes } = await sampleLayer(layer, tile, "bicubic", wasmKernels());
  for (const [x, y] of [
    [0, 0],
    [8, 6],
    [4, 3],
  ])
    expect(planes[0][y * 9 + x]).toBeCloseTo(2 * (20 + x + 12 + Math.sin((20 + x) / 15)) + 5 + 0.5 * (20 + x), 2);
});
