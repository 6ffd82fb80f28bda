import { createPlainKernels } from "../kernels";
import { createRandom } from "../numeric/random";
import { frameOfRaster, rasterOf } from "../raster";
import { SHARES, SIXTEEN_BITS } from "../testing/fixtures";
import { dataRange, measureSaturation, pileUpLevel } from "./saturation";

const [WIDTH, HEIGHT] = [300, 260];
const kernels = createPlainKernels();
const levelIn = (plane: Float32Array) => pileUpLevel(plane, WIDTH, HEIGHT, kernels.chunkMaxima(plane));

/** Gaussian stars of FWHM 3 px whose heights follow a power law, cut off at `full`, with photon-like noise; sky 500, read noise 6. */
function sky(full: number, seed = 1, share = (_x: number, _y: number) => 1): Float32Array {
  const random = createRandom(seed);
  const plane = new Float32Array(WIDTH * HEIGHT).fill(500);
  for (let k = 0; k < 60; k++) {
    const [x, y] = [10 + 280 * random.uniform(), 10 + 240 * random.uniform()];
    const peak = 1500 / (0.01 + 0.99 * random.uniform()) ** 1;
    for (let v = Math.floor(y) - 8; v <= y + 9; v++)
      for (let u = Math.floor(x) - 8; u <= x + 9; u++)
        if (u >= 0 && v >= 0 && u < WIDTH && v < HEIGHT)
          plane[v * WIDTH + u] += peak * Math.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * (3 / 2.3548) ** 2));
  }
  return plane.map((v, i) => {
    const noisy = v + 6 * random.normal() + Math.sqrt(Math.max(0, v) / 2) * random.normal();
    return Math.min(full, noisy) / share(i % WIDTH, Math.floor(i / WIDTH));
  });
}

test.each([4095, 16383, 40_000])("stars cut off at %i are found out, whatever the unit and the offset", (full) => {
  const plane = sky(full);
  const level = levelIn(plane) ?? NaN;
  expect(level).toBeLessThanOrEqual(full);
  expect(level).toBeGreaterThan(0.95 * full);
  for (const [gain, offset] of [
    [1 / 65535, 0],
    [0.8, -700],
    [1e6, 3],
  ])
    expect(levelIn(plane.map((v) => v * gain + offset)) ?? NaN).toBeCloseTo(
      level * gain + offset,
      -Math.floor(Math.log10(gain)) - 1,
    );
});

test("after a flat the plateaus differ by their place, and are found all the same", () => {
  const vignetted = sky(20_000, 2, (x, y) => 1 - (0.2 * (((x - 150) / 150) ** 2 + ((y - 130) / 130) ** 2)) / 2);
  const level = levelIn(vignetted) ?? NaN;
  expect(level).toBeGreaterThan(0.93 * 20_000);
  expect(level).toBeLessThan(1.1 * 20_000);
});

test("no pile-up: unsaturated stars, noise alone, a galaxy's core, a frame of one value, one without data", () => {
  for (const seed of [1, 2, 3, 4, 5]) expect(levelIn(sky(1e9, seed))).toBeNull();
  const random = createRandom(5);
  const noise = Float32Array.from({ length: WIDTH * HEIGHT }, () => 100 + random.normal());
  expect(levelIn(noise)).toBeNull();
  const galaxy = noise.map(
    (v, i) => v + 4000 * Math.exp(-Math.hypot((i % WIDTH) - 150, Math.floor(i / WIDTH) - 130) / 12),
  );
  expect(levelIn(galaxy)).toBeNull();
  expect(levelIn(new Float32Array(WIDTH * HEIGHT).fill(7))).toBeNull();
  expect(levelIn(new Float32Array(WIDTH * HEIGHT).fill(NaN))).toBeNull();
});

test("who says it counts in this order: a person, the lower of header and pile-up, the type", () => {
  const raster = rasterOf(WIDTH, HEIGHT, [sky(16_383).map((v) => v / 65535)]);
  const of = (saturation: number, from: string) =>
    measureSaturation(
      raster,
      { ...SIXTEEN_BITS, saturation, from: { ...SIXTEEN_BITS.from, saturation: from } },
      kernels,
    ).unit;
  expect(of(62_000, "95 % of full scale")).toMatchObject({ from: { saturation: "pile-up in star cores" } });
  expect(of(62_000, "95 % of full scale")?.saturation ?? 0).toBeLessThan(16_384);
  expect(of(12_000, "header")).toMatchObject({ saturation: 12_000, from: { saturation: "header" } });
  expect(of(60_000, "header")).toMatchObject({ from: { saturation: "pile-up in star cores" } });
  expect(of(30_000, "typed in")).toMatchObject({ saturation: 30_000, from: { saturation: "typed in" } });
});

test("a pixel is saturated where any channel is; a clean frame has no mask", () => {
  const planes = [0.2, 0.99, 0.2].map((v) => Float32Array.of(0.1, 0.1, v, 0.1));
  const found = measureSaturation(rasterOf(2, 2, planes), SHARES, kernels, false);
  expect(found.share).toBe(0.25);
  expect([...(found.mask ?? [])]).toEqual([0, 0, 1, 0]);
  expect(measureSaturation(rasterOf(2, 2, [new Float32Array(4)]), SHARES, kernels).mask).toBeNull();
  expect(measureSaturation(rasterOf(2, 2, planes), null, kernels, false)).toEqual({ unit: null, mask: null, share: 0 });
});

test("the range of a frame leaves wild pixels, NaN and infinity out", async () => {
  const plane = sky(16_383);
  for (let k = 0; k < 9; k++) plane[k * 997] = 1e7;
  plane[5] = NaN;
  plane[6] = Infinity;
  const { least, top, most } = await dataRange(frameOfRaster(rasterOf(WIDTH, HEIGHT, [plane])));
  expect(top).toBeLessThanOrEqual(16_383);
  expect(top).toBeGreaterThan(10_000);
  expect(most).toBe(1e7);
  expect(least).toBeLessThan(500);
  expect(await dataRange(frameOfRaster(rasterOf(1, 1, [Float32Array.of(NaN)])))).toEqual({ least: 0, top: 0, most: 0 });
});
