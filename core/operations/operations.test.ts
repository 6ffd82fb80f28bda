import { chainHalo, JOIN_HALO, measureChain, noiseLeft, readySteps, runChain, sigmaLeft, sigmaOfLight } from "../chain";
import { findStars, POINTS_HALO, measureSub, starShape } from "../measure";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { cropRaster, frameOfRaster, meanAndDeviation, meanPlane, robustSpread, wholeRegion } from "../raster";
import { paintStars, worstDifference } from "../testing/fixtures";
import { stretchCurves } from "../display";

import {
  fill,
  input,
  job,
  kernels,
  picture,
  run,
  sharpen,
  SIZE,
  starlet,
  stepOf,
  stretch,
} from "../testing/operationContract";

describe("chains", () => {
  test("the halo of a chain is the sum of its steps'", async () => {
    const steps = [starlet, sharpen, stretch].map((operation) => stepOf(operation));
    const ready = readySteps(steps, await measureChain(input, steps, job));
    const [a, b, c] = ready.map(
      ({ operation, step, facts }) => 0 - operation.source(wholeRegion(SIZE), step.params, facts[0]).x,
    );
    expect([a, c]).toEqual([2 * (2 ** 5 - 1) + 1 + POINTS_HALO, 0]);
    expect(b).toBeGreaterThan(8);
    expect(chainHalo(ready)).toBe(a + Math.max(b, JOIN_HALO) + c);
  });

  test("steps that are off do nothing and need no facts; an unprepared chain is refused", async () => {
    const off = await run([stepOf(starlet, { on: false })]);
    expect(worstDifference(off.planes[0], picture.planes[0])).toBe(0);
    expect(() => readySteps([stepOf(starlet)], [{}])).toThrow("was not prepared");
    expect(() => readySteps([stepOf(starlet, { operation: "no.such" })], [{}])).toThrow("unknown operation");
  });
});

describe("what the operations are for", () => {
  test("the starlet at half strength halves the noise at least, keeps stars and their colour", async () => {
    const smooth = await run([stepOf(starlet)]);
    const region = { x: 210, y: 170, width: 100, height: 110 };
    const noise = (raster: Raster) => measureSub(cropRaster(raster, region), kernels).measures.noise[1];
    expect(noise(smooth) / noise(picture)).toBeLessThan(0.5);
    const filled = (raster: Raster) => meanPlane(raster).map((v) => (v === v ? v : 0.01));
    const before = findStars(filled(picture), SIZE.width, SIZE.height, kernels).filter(({ snr }) => snr > 8);
    const after = findStars(filled(smooth), SIZE.width, SIZE.height, kernels);
    const lost = before.filter((star) => !after.some((other) => Math.hypot(other.x - star.x, other.y - star.y) < 1));
    expect(before.length).toBeGreaterThan(40);
    expect(lost).toEqual([]);
    const star = before.find(({ snr, x, y }) => snr > 60 && x > 30 && y > 30) as (typeof before)[number];
    const i = Math.round(star.y) * SIZE.width + Math.round(star.x);
    const ratio = (raster: Raster) => (raster.planes[0][i] - 0.01) / (raster.planes[2][i] - 0.01);
    expect(Math.abs(ratio(smooth) / ratio(picture) - 1)).toBeLessThan(0.05);
  });

  test("Richardson–Lucy makes stars at least a fifth narrower without deep rings, keeping their colour", async () => {
    const clean = frameOfRaster(
      paintStars(
        200,
        200,
        [
          { x: 100, y: 100, flux: 2 },
          { x: 40, y: 150, flux: 30 },
          { x: 160, y: 50, flux: 1 },
        ],
        { channels: 3, noise: 0.00005, tint: [1.3, 1, 0.6] },
      ),
    );
    const plain = { shown: false, smoothness: 0, share: 0.85, iterations: 20 };
    const steps = [stepOf(sharpen, { channels: "luminance", params: { ...sharpen.parameters.defaults, ...plain } })];
    const facts = await measureChain({ picture: clean, halves: null, fill, fullScale: 1 }, steps, job);
    const region = { x: 0, y: 0, width: 200, height: 200 };
    const sharp = await runChain(clean, readySteps(steps, facts), region, fill, job);
    const width = (raster: Raster) => starShape(findStars(meanPlane(raster), 200, 200, kernels)).fwhmPx ?? NaN;
    const original = await clean.read(region);
    expect(width(sharp) / width(original)).toBeLessThan(0.8);
    // With evenness and a target that the sampling carries it is gentler.
    const gentle = await runChain(
      clean,
      readySteps([stepOf(sharpen, { channels: "luminance" })], facts),
      region,
      fill,
      job,
    );
    expect(width(gentle) / width(original)).toBeLessThan(0.9);
    const peak = original.planes[1][100 * 200 + 100] - 0.01;
    for (let r = 2; r < 12; r++) expect((0.01 - sharp.planes[1][100 * 200 + 100 + r]) / peak).toBeLessThan(0.02);
    const ratio = (raster: Raster, i: number) => (raster.planes[0][i] - 0.01) / (raster.planes[2][i] - 0.01);
    expect(Math.abs(ratio(sharp, 100 * 200 + 100) / ratio(original, 100 * 200 + 100) - 1)).toBeLessThan(0.05);
  });

  test("the stretch takes the sky to the wanted brightness and keeps the order of values", async () => {
    const wide = await run([stepOf(stretch, { params: { sky: 0.2, black: 3 } })]);
    expect(robustSpread(wide.planes[1]).centre).toBeCloseTo(0.2, 1);
    const [curve] = stretchCurves({ sky: 0.2, black: 3 }, { level: [0.01], sigma: [0.0005], white: 1 });
    const at = (v: number) =>
      Math.asinh((curve.a * (v - curve.black)) / (curve.white - curve.black)) / Math.asinh(curve.a);
    expect(at(0.01)).toBeCloseTo(0.2, 6);
    expect(at(1)).toBeCloseTo(1, 12);
    expect(at(0.3)).toBeGreaterThan(at(0.2));
    expect(stretchCurves({ sky: 0.1, black: 1 }, { level: [0.5], sigma: [0.1], white: 1 })[0].a).toBe(1e-3);
  });

  test("noise that the halves show for a treated picture is what the treatment leaves", async () => {
    const random = createRandom(9);
    const flat = (sigma: number) => ({
      width: 256,
      height: 256,
      channels: 1,
      planes: [Float32Array.from({ length: 65536 }, () => 0.02 + sigma * random.normal())],
    });
    const [a, b] = [flat(0.0002 * Math.SQRT2), flat(0.0002 * Math.SQRT2)];
    const mean = { ...a, planes: [a.planes[0].map((v, i) => (v + b.planes[0][i]) / 2)] };
    const given = {
      picture: frameOfRaster(mean),
      halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
      fill: [0.02],
      fullScale: 1,
    };
    const params = { ...starlet.parameters.defaults, strength: 0.6 };
    const steps = [stepOf(starlet, { params })];
    const ready = readySteps(steps, await measureChain(given, steps, job));
    const region = wholeRegion(mean);
    const treated = await runChain(given.picture, ready, region, [0.02], job);
    const left = await noiseLeft(given, ready, region, job);
    const truth = meanAndDeviation(treated.planes[0]).sigma;
    const told = left ? sigmaLeft(left, sigmaOfLight) : NaN;
    expect(told / truth).toBeGreaterThan(0.95);
    expect(told / truth).toBeLessThan(1.05);
  });
});
