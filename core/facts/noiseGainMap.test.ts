import { measureChain, newStep, readySteps, runChain } from "../chain";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import type { Raster } from "../raster";
import { frameOfRaster, rasterOf, robustSpread, wholeRegion } from "../raster";
import { quietJob } from "../job";
import { wasmKernels } from "../testing/fixtures";
import type { NoiseModelFact } from "./noiseModel";
import { measureNoiseGainMap, noiseGainOver } from "./noiseGainMap";

const job = quietJob(wasmKernels());
const SIZE = { width: 640, height: 448 };
const LEVEL = 100;

/** To the left of the middle a third as many subs; and lifted towards the right border as by a flat field. */
const strength = (x: number) => (x < 320 ? Math.sqrt(3) : 1 + 0.5 * Math.max(0, (x - 480) / 160));
/** Light that rises downwards, whose noise grows with it. */
const light = (y: number) => 40 * (y / SIZE.height);

function halvesOf(seed: number, missing: (x: number, y: number) => boolean = () => false) {
  const random = createRandom(seed);
  const half = (): Raster =>
    rasterOf(SIZE.width, SIZE.height, [
      Float32Array.from({ length: SIZE.width * SIZE.height }, (_, i) => {
        const [x, y] = [i % SIZE.width, Math.floor(i / SIZE.width)];
        const sigma = Math.SQRT2 * strength(x) * Math.sqrt(1 + 0.05 * light(y));
        return missing(x, y) ? NaN : LEVEL + light(y) + sigma * random.normal();
      }),
    ]);
  const [a, b] = [half(), half()];
  const mean = rasterOf(SIZE.width, SIZE.height, [a.planes[0].map((v, i) => (v + b.planes[0][i]) / 2)]);
  return { a, b, mean };
}

async function grainOf({ a, b, mean }: ReturnType<typeof halvesOf>, withHalves = true) {
  const halves = withHalves ? { a: frameOfRaster(a), b: frameOfRaster(b) } : null;
  const input = { picture: frameOfRaster(mean), halves, fill: [LEVEL], fullScale: 1000 };
  const step = newStep(findOperation("noise.mixture") ?? fail());
  const facts = await measureChain(input, [step], job);
  return { input, step, facts, noiseModel: facts[0]["noiseModel@together"]?.[0] as NoiseModelFact };
}
const fail = (): never => {
  throw new Error("no such operation");
};

test("noise that is stronger in places is measured there to 8 %, to 4 % on average, whatever the level", async () => {
  const { noiseModel } = await grainOf(halvesOf(1));
  const over = noiseGainOver(noiseModel.noiseGain ?? fail(), 0, wholeRegion(SIZE));
  const at = (x: number, y: number) => over[y * SIZE.width + x];
  // Where it changes at once it is measured over some cells.
  const errors = [20, 100, 200, 420, 470, 580].flatMap((x) =>
    [40, 130, 220, 310, 400].map((y) => at(x, y) / strength(x)),
  );
  const mean = errors.reduce((sum, v) => sum + v / errors.length, 0);
  for (const error of errors) expect(Math.abs(error / mean - 1)).toBeLessThan(0.08);
  const rms = Math.sqrt(errors.reduce((sum, v) => sum + (v / mean - 1) ** 2 / errors.length, 0));
  expect(rms).toBeLessThan(0.04);
});

test("a region is divided as the whole is", async () => {
  const { noiseModel } = await grainOf(halvesOf(1));
  const whole = noiseGainOver(noiseModel.noiseGain ?? fail(), 0, wholeRegion(SIZE));
  const region = { x: 203, y: 101, width: 90, height: 70 };
  const part = noiseGainOver(noiseModel.noiseGain ?? fail(), 0, region);
  for (let y = 0; y < region.height; y++)
    expect(part.subarray(y * 90, y * 90 + 90)).toEqual(
      whole.subarray((101 + y) * SIZE.width + 203, (101 + y) * SIZE.width + 293),
    );
});

test("as much of the noise goes where fewer subs lie as elsewhere", async () => {
  const { input, step, facts } = await grainOf(halvesOf(2));
  const clean = await runChain(input.picture, readySteps([step], facts), wholeRegion(SIZE), input.fill, job);
  const left = (from: number, to: number) => {
    const inside = (_: number, i: number) => i % SIZE.width > from && i % SIZE.width < to;
    const rest = clean.planes[0].map((v, i) => v - LEVEL - light(Math.floor(i / SIZE.width)));
    return robustSpread(rest.filter(inside)).sigma / strength((from + to) / 2);
  };
  const [few, many] = [left(40, 240), left(380, 470)];
  expect(few / many).toBeLessThan(1.35);
  expect(few / many).toBeGreaterThan(1 / 1.35);
});

test("where a half has no data the cells around tell; without halves, or of a small picture, nothing does", async () => {
  const { noiseModel } = await grainOf(halvesOf(3, (x, y) => x < 128 && y < 128));
  const over = noiseGainOver(noiseModel.noiseGain ?? fail(), 0, wholeRegion(SIZE));
  expect(over[0]).toBeGreaterThan(0.9 * over[300 * SIZE.width + 20]);
  expect((await grainOf(halvesOf(1), false)).noiseModel.noiseGain).toBeNull();
  const never = () => Promise.reject(new Error("read"));
  expect(await measureNoiseGainMap({ width: 180, height: 500 }, never, job)).toBeNull();
});
