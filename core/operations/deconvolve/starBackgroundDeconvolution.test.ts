import type { ChainStep } from "../../chain";
import { measureChain, migratedStep, newStep, readySteps, runChain } from "../../chain";
import { quietJob } from "../../job";
import { findStars, moffatTable, starShape } from "../../measure";
import type { Raster } from "../../raster";
import { cropRaster, frameOfRaster, rasterOf, wholeRegion } from "../../raster";
import { exposed, FIELD_SIDE as SIDE, smoothField } from "../../testing/fields";
import type { PaintedStar } from "../../testing/fixtures";
import { paintStars, randomStars, wasmKernels, worstDifference } from "../../testing/fixtures";
import type { AnyOperation } from "../index";
import { OPERATIONS } from "../index";
import { starBackgroundDeconvolution } from "./starBackgroundDeconvolution";

const kernels = wasmKernels();
const job = quietJob(kernels);
const FWHM = 3.2;
const stars = randomStars(45, SIDE, SIDE, 5).map((star) => ({ ...star, flux: 4000 * star.flux }));
/** Two stars a little more than a FWHM apart, and as many alone, of the same light. */
const pair = { x: 128.3, y: 131.7, apart: 1.15 * FWHM };
const all: PaintedStar[] = [
  ...stars.filter(({ x, y }) => Math.hypot(x - pair.x, y - pair.y) > 25),
  { x: pair.x - pair.apart / 2, y: pair.y, flux: 900 },
  { x: pair.x + pair.apart / 2, y: pair.y, flux: 700 },
];
const gas = smoothField(8, 21).map((v) => 8 * Math.exp(v / 2));

function sky(list: PaintedStar[], channels = 1, tint = [1, 1, 1]): Float32Array[] {
  const { planes } = paintStars(SIDE, SIDE, list, { fwhm: FWHM, noise: 0, level: 100, channels, tint });
  return planes.map((plane) => plane.map((v, i) => v + gas[i]));
}

async function sharpen(
  of: ReturnType<typeof exposed>,
  params = {},
  region = wholeRegion(of.picture),
  first: ChainStep[] = [],
) {
  const steps = [
    ...first,
    {
      ...newStep(starBackgroundDeconvolution),
      params: { ...starBackgroundDeconvolution.parameters.defaults, ...params },
    },
  ];
  const halves = { a: frameOfRaster(of.a), b: frameOfRaster(of.b) };
  const input = { picture: frameOfRaster(of.picture), halves, fill: [100, 100, 100], fullScale: 1 };
  const ready = readySteps(steps, await measureChain(input, steps, job));
  return runChain(input.picture, ready, region, input.fill, job);
}

/** Light within 8 px above the median of a ring about it. */
function light({ width, planes }: Raster, c: number, { x, y }: { x: number; y: number }): number {
  const [inside, ring]: [number[], number[]] = [[], []];
  for (let v = -14; v <= 14; v++)
    for (let u = -14; u <= 14; u++) {
      const r = Math.hypot(u, v);
      const value = planes[c][(Math.round(y) + v) * width + Math.round(x) + u];
      if (r <= 8) inside.push(value);
      else if (r > 10) ring.push(value);
    }
  const level = ring.sort((p, q) => p - q)[ring.length >> 1];
  return inside.reduce((sum, v) => sum + v - level, 0);
}

const alone = all.filter(
  (star) =>
    all.every((o) => o === star || Math.hypot(o.x - star.x, o.y - star.y) > 22) &&
    star.flux > 600 &&
    star.x > 20 &&
    star.y > 20 &&
    star.x < SIDE - 20 &&
    star.y < SIDE - 20,
);

describe("stars and the rest", () => {
  const of = exposed(sky(all), (v) => Math.sqrt(1 + 0.02 * (v - 100)), 71);

  test("stars come out a third narrower and no lighter, without dark rings; a close pair becomes two; noise does not rise", async () => {
    const sharp = await sharpen(of);
    const width = (raster: Raster) => starShape(findStars(raster.planes[0], SIDE, SIDE, kernels)).fwhmPx ?? NaN;
    expect(width(sharp) / width(of.picture)).toBeLessThan(0.7);
    const ratios = alone.map((star) => light(sharp, 0, star) / light(of.picture, 0, star)).sort((p, q) => p - q);
    expect(alone.length).toBeGreaterThan(8);
    expect(Math.abs(ratios[ratios.length >> 1] - 1)).toBeLessThan(0.02);
    for (const star of alone) {
      const i = Math.round(star.y) * SIDE + Math.round(star.x);
      const peak = sharp.planes[0][i] - 100;
      const around = Array.from({ length: 64 }, (_, k) => {
        const [u, v] = [Math.cos(k / 10), Math.sin(k / 10)].map((c) => Math.round(6 * c));
        return sharp.planes[0][i + v * SIDE + u] - of.picture.planes[0][i + v * SIDE + u];
      });
      // The noise of a pixel is 1 … 2, the least of 64 lies some 3 σ low, and the wings of the wider star are gone.
      expect(Math.min(...around)).toBeGreaterThan(-0.005 * peak - 8);
    }
    const row = (x: number) => sharp.planes[0][Math.round(pair.y) * SIDE + Math.round(x)];
    expect(row(pair.x)).toBeLessThan(0.8 * Math.min(row(pair.x - pair.apart / 2), row(pair.x + pair.apart / 2)));
    const noiseModel = (raster: Raster) => {
      const fine = raster.planes[0].map((v, i) => v - (raster.planes[0][i + 1] ?? v));
      return [...fine].map(Math.abs).sort((p, q) => p - q)[fine.length >> 1];
    };
    expect(noiseModel(sharp)).toBeLessThan(0.8 * noiseModel(of.picture));
  });

  test("after a noise reduction every star is narrower, as before one: errors that it made in faint ones leave none as it was", async () => {
    const first = newStep(OPERATIONS.find(({ id }) => id === "noise.mixture") as AnyOperation);
    const [plain, after] = [await sharpen(of), await sharpen(of, {}, wholeRegion(of.picture), [first])];
    const peak = (raster: Raster, { x, y }: PaintedStar) => {
      let most = 0;
      for (let v = -1; v <= 1; v++)
        for (let u = -1; u <= 1; u++)
          most = Math.max(most, raster.planes[0][(Math.round(y) + v) * SIDE + Math.round(x) + u] - 100);
      return most;
    };
    const ratios = alone.map((star) => peak(after, star) / peak(plain, star));
    expect(Math.min(...ratios)).toBeGreaterThan(0.9);
  });

  test("strength 0 is the picture; half of it aims half way; a picture without stars stays as it is", async () => {
    expect((await sharpen(of, { strength: 0 })).planes[0]).toEqual(of.picture.planes[0]);
    const width = (raster: Raster) => starShape(findStars(raster.planes[0], SIDE, SIDE, kernels)).fwhmPx ?? NaN;
    const [half, full] = [await sharpen(of, { strength: 0.5 }), await sharpen(of)];
    expect(width(half)).toBeGreaterThan(1.1 * width(full));
    expect(width(half)).toBeLessThan(0.93 * width(of.picture));
    const empty = exposed([gas.map((v) => 100 + v)], () => 1, 72);
    expect((await sharpen(empty)).planes[0]).toEqual(empty.picture.planes[0]);
  });

  test("a clipped star is rebuilt from its wings, as high as its light says, without a hole or a ring; one that bleeds is left as it was", async () => {
    const star = { x: 200.4, y: 60.2 };
    const full = sky([...all.filter(({ x, y }) => Math.hypot(x - star.x, y - star.y) > 30), { ...star, flux: 60_000 }]);
    const clipped = full.map((plane) => plane.map((v) => Math.min(v, 1500)));
    const bleeding = clipped.map((plane) =>
      plane.map((v, i) => (Math.abs((i % SIDE) - 200) < 2 && i / SIDE < 100 ? 1500 : v)),
    );
    const noise = (v: number) => Math.sqrt(1 + 0.02 * (v - 100));
    const [right, seen, bled] = [full, clipped, bleeding].map((light) => exposed(light, noise, 74));
    expect(seen.picture.planes[0].filter((v) => v > 1480).length).toBeGreaterThan(12);
    const [whole, rebuilt, left] = [await sharpen(right), await sharpen(seen), await sharpen(bled)];
    expect(Math.abs(light(rebuilt, 0, star) / light(whole, 0, star) - 1)).toBeLessThan(0.05);
    for (let k = 0; k < 40; k++) {
      const [u, v] = [Math.cos(k / 6), Math.sin(k / 6)].map((c) => Math.round(7 * c));
      const i = (60 + v) * SIDE + 200 + u;
      expect(rebuilt.planes[0][i]).toBeGreaterThan(90);
      expect(Math.abs(rebuilt.planes[0][i] - whole.planes[0][i])).toBeLessThan(30);
    }
    const i = 52 * SIDE + 200;
    expect(Math.abs(left.planes[0][i] / bled.picture.planes[0][i] - 1)).toBeLessThan(0.02);
  });

  test("a crop is as that part of the whole, to a thousandth of the range", async () => {
    const region = { x: 70, y: 90, width: 90, height: 80 };
    const [whole, crop] = [await sharpen(of), await sharpen(of, {}, region)];
    const range = of.picture.planes[0].reduce((most, v) => Math.max(most, v), 0) - 100;
    expect(worstDifference(crop.planes[0], cropRaster(whole, region).planes[0]) / range).toBeLessThan(1e-3);
  });

  test("other settings after one another on the same picture give what each gives alone, to the bit", async () => {
    const picture = { ...of, picture: { ...of.picture } };
    for (const params of [{ strength: 0.7 }, { strength: 1 }, { smoothness: 1 }, { starSnr: 8 }, { strength: 0.7 }]) {
      const [again, alone] = [
        await sharpen(picture, params),
        await sharpen({ ...of, picture: { ...of.picture } }, params),
      ];
      expect(again.planes[0]).toEqual(alone.planes[0]);
    }
  });

  test("colours of stars stay within 2 %", async () => {
    const coloured = exposed(sky(all, 3, [1.4, 1, 0.7]), (v) => Math.sqrt(1 + 0.02 * (v - 100)), 73);
    const sharp = await sharpen(coloured);
    const changes = alone
      .map(
        (star) =>
          light(sharp, 0, star) /
          light(sharp, 2, star) /
          (light(coloured.picture, 0, star) / light(coloured.picture, 2, star)),
      )
      .sort((p, q) => p - q);
    expect(Math.abs(changes[changes.length >> 1] - 1)).toBeLessThan(0.02);
  });
});

test("a recipe of older steps keeps its plain ones, 20 where it gave none; eight longer ones do as much", async () => {
  const older = (params: object) =>
    migratedStep({ ...newStep(starBackgroundDeconvolution), version: 2, params: { ...params } }).params;
  expect(older({})).toMatchObject({ iterations: 20, hastened: false });
  expect(older({ iterations: 12 })).toMatchObject({ iterations: 12, hastened: false });
  const of = exposed(sky(all), (v) => Math.sqrt(1 + 0.02 * (v - 100)), 71);
  const [long, plain, few] = [
    await sharpen(of),
    await sharpen(of, older({})),
    await sharpen(of, older({ iterations: 8 })),
  ];
  const apart = (a: Raster, b: Raster) =>
    Math.sqrt(a.planes[0].reduce((sum, v, i) => sum + (v - b.planes[0][i]) ** 2, 0));
  expect(apart(long, plain)).toBeLessThan(0.65 * apart(few, plain));
});

describe("stars solved together", () => {
  const shape = { fwhmMajor: 3.4, fwhmMinor: 2.9, angle: 0.6, beta: 3 };
  const on = (plane: Float32Array) => ({
    planes: [plane],
    width: 90,
    height: 90,
    profiles: [moffatTable(shape)],
    least: [0],
  });
  const even = (sigma: number) => [new Float32Array(90 * 90).fill(sigma)];
  const truth = [
    { x: 30.3, y: 31.2, heights: [500] },
    { x: 33.4, y: 30.2, heights: [350] },
    { x: 60.1, y: 55.8, heights: [90] },
  ];
  const drawn = () => {
    const plane = new Float32Array(90 * 90).fill(7);
    kernels.drawStars(on(plane), truth, 1);
    return plane;
  };

  test("places and heights of overlapping stars are found, the rest becomes flat", () => {
    const plane = drawn();
    const start = truth.map(({ x, y, heights: [h] }) => ({ x: x + 0.1, y: y - 0.08, heights: [0.8 * h] }));
    kernels.drawStars(on(plane), start, -1);
    const found = kernels.solveStars(on(plane), start, { sigmas: even(0.01), rounds: 12 });
    found.forEach(({ x, y, heights: [h] }, k) => {
      expect(Math.hypot(x - truth[k].x, y - truth[k].y)).toBeLessThan(0.01);
      expect(Math.abs(h / truth[k].heights[0] - 1)).toBeLessThan(0.01);
    });
    expect(Math.max(...plane.map((v) => Math.abs(v - 7)))).toBeLessThan(3);
  });
});

test("the picture's own size and channels come back", async () => {
  const flat = rasterOf(20, 12, [new Float32Array(240).fill(3)]);
  const out = await sharpen({ picture: flat, a: flat, b: flat });
  expect([out.width, out.height, out.channels]).toEqual([20, 12, 1]);
});
