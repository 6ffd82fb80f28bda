import { measureChain, newStep, readySteps, runChain } from "../../chain";
import type { ChainStep } from "../../chain";
import { quietJob } from "../../job";
import type { Raster } from "../../raster";
import { frameOfRaster, rasterOf, wholeRegion } from "../../raster";
import { exposed, FIELD_SIDE as SIDE, powersOf, smoothField } from "../../testing/fields";
import { paintStars, randomStars, wasmKernels } from "../../testing/fixtures";
import type { AnyOperation } from "../operation";
import { OPERATIONS } from "../registry";

/** What every approach to noise must keep to, in pictures whose truth is known. */
const kernels = wasmKernels();
const job = quietJob(kernels);
/** All but the median, which takes away single pixels and no grain. */
const APPROACHES = OPERATIONS.filter(({ can, id }) => can.noiseReduction && id !== "noise.median").map(
  (one) => [one.words.short, one] as const,
);
const approach = (id: string) => OPERATIONS.find((one) => one.id === id) as AnyOperation;

const deviation = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += (a[i] - b[i]) ** 2;
  return Math.sqrt(sum / a.length);
};

async function clean(
  operation: AnyOperation,
  of: { picture: Raster; a: Raster; b: Raster },
  params = {},
  withHalves = true,
) {
  const steps: ChainStep[] = [{ ...newStep(operation), params: { ...operation.parameters.defaults, ...params } }];
  const halves = withHalves ? { a: frameOfRaster(of.a), b: frameOfRaster(of.b) } : null;
  const input = { picture: frameOfRaster(of.picture), halves, fill: of.picture.planes.map(() => 0), fullScale: 1 };
  const ready = readySteps(steps, await measureChain(input, steps, job));
  return runChain(input.picture, ready, wholeRegion(of.picture), input.fill, job);
}

test("the mixture comes within a sixth of the best linear estimate (Wiener's, knowing both spectra) for a smooth field in white noise", async () => {
  const mixture = approach("noise.mixture");
  const [sigmaPx, amplitude] = [2, 3];
  const light = smoothField(sigmaPx, 5).map((v) => 100 + amplitude * v);
  const { planes } = await clean(
    mixture,
    exposed([light], () => 1, 6),
    { keepPoints: false },
  );
  const powers = powersOf(sigmaPx).map((p) => amplitude ** 2 * p);
  // Mean square error of Wiener's filter: Σ S N/(S + N).
  const best = Math.sqrt(powers.reduce((sum, p) => sum + p / (p + 1), 0) / powers.length);
  const error = deviation(planes[0], light);
  expect(error / best).toBeGreaterThan(0.97);
  expect(error / best).toBeLessThan(1.16);
});

test("the median takes out single hot and cold pixels and small clumps, and leaves every star and all grain", async () => {
  const stars = randomStars(40, SIDE, SIDE, 11).map((star) => ({ ...star, flux: 4000 * star.flux }));
  for (const fwhm of [1.6, 3]) {
    const sky = paintStars(SIDE, SIDE, stars, { fwhm, noise: 0, level: 100 }).planes;
    const of = exposed(sky, (v) => Math.sqrt(1 + 0.05 * (v - 100)), 41);
    const planted = [...Array.from({ length: 30 }, (_, k) => (8 * k + 5) * SIDE + 8 * ((7 * k) % 31) + 3)];
    const clean0 = of.picture.planes[0].slice();
    const spots = planted.filter((i) => Math.abs(sky[0][i] - 100) < 1);
    spots.forEach((i, k) => {
      for (const half of [of.a, of.b, of.picture]) half.planes[0][i] += k % 3 === 0 ? -25 : 40;
      if (k % 5 === 0) for (const half of [of.a, of.b, of.picture]) half.planes[0][i + 1] += k % 3 === 0 ? -25 : 40;
    });
    const { planes } = await clean(approach("noise.median"), of);
    expect(spots.filter((i) => Math.abs(planes[0][i] - sky[0][i]) > 4)).toEqual([]);
    // Elsewhere nothing moves, star or grain, but for a grain in ten thousand.
    const isPlanted = new Set(spots.flatMap((i) => [i, i + 1]));
    const moved = [...planes[0].keys()].filter((i) => !isPlanted.has(i) && Math.abs(planes[0][i] - clean0[i]) > 1e-3);
    expect(moved.length).toBeLessThan(7);
    expect(moved.filter((i) => sky[0][i] > 130)).toEqual([]);
  }
});

test("the careful starlet keeps what stands out whole: heights of stars as they were, where weakening loses some", async () => {
  const stars = randomStars(40, SIDE, SIDE, 12).map((star) => ({ ...star, flux: 600 * star.flux }));
  const sky = paintStars(SIDE, SIDE, stars, { noise: 0, level: 100 }).planes;
  const of = exposed(sky, () => 1, 42);
  const bright = stars.filter(({ flux }) => flux > 300);
  const lost = async (kind: string) => {
    const { planes } = await clean(approach("noise.starlet"), of, { kind, keepPoints: false });
    const losses = bright.map(({ x, y }) => {
      const i = Math.round(y) * SIDE + Math.round(x);
      return (sky[0][i] - planes[0][i]) / (sky[0][i] - 100);
    });
    return losses.reduce((a, b) => a + b, 0) / losses.length;
  };
  expect(Math.abs(await lost("careful"))).toBeLessThan(0.02);
});

describe.each(APPROACHES)("%s", (_, operation) => {
  const light = [0, 1, 2].map((c) => smoothField(6, 20 + c).map((v) => 50 + 20 * Math.exp(v / 2)));
  const noise = (v: number) => Math.sqrt(1 + 0.05 * v);

  test("takes away most of the noise of smooth light at its defaults, with halves and without, in every unit", async () => {
    const of = exposed(light, noise, 31);
    const before = deviation(of.picture.planes[1], light[1]);
    for (const withHalves of [true, false]) {
      const { planes } = await clean(operation, of, {}, withHalves);
      expect(deviation(planes[1], light[1]) / before).toBeLessThan(0.5);
    }
    // The same picture as shares of full scale, its black lifted.
    const unit = (raster: Raster) =>
      rasterOf(
        SIDE,
        SIDE,
        raster.planes.map((plane) => plane.map((v) => v / 65535 - 0.01)),
      );
    const shares = await clean(operation, { picture: unit(of.picture), a: unit(of.a), b: unit(of.b) });
    const { planes } = await clean(operation, of);
    expect(
      deviation(
        shares.planes[1].map((v) => (v + 0.01) * 65535),
        planes[1],
      ) / before,
    ).toBeLessThan(0.01);
  });

  test("strength is the share that is taken away, exactly; at 0 nothing is", async () => {
    const of = exposed(light, noise, 32);
    const [none, half, all] = [
      await clean(operation, of, { strength: 0 }),
      await clean(operation, of, { strength: 0.5 }),
      await clean(operation, of, { strength: 1 }),
    ];
    expect(deviation(none.planes[0], of.picture.planes[0])).toBe(0);
    const middle = all.planes[0].map((v, i) => (v + of.picture.planes[0][i]) / 2);
    expect(deviation(half.planes[0], middle)).toBeLessThan(1e-4);
  });

  test("least grain leaves noise everywhere", async () => {
    const flat = [new Float32Array(SIDE * SIDE).fill(100)];
    const of = exposed(flat, () => 1, 33);
    const left = async (leastGrain: number) =>
      deviation((await clean(operation, of, { leastGrain })).planes[0], flat[0]);
    expect(await left(0.4)).toBeGreaterThan(0.33);
    expect(await left(0.4)).toBeLessThan(0.55);
    expect(await left(0)).toBeLessThan(0.33);
  });

  test("faint stars stay: with points kept at least as many as without, and nine in ten of those of 8 σ", async () => {
    const dot = paintStars(11, 11, [{ x: 5, y: 5, flux: 1 }], { noise: 0, level: 0 }).planes[0];
    const mean = dot.reduce((a, b) => a + b, 0) / 121;
    const flux = 8 / Math.sqrt(dot.reduce((sum, v) => sum + (v - mean) ** 2, 0));
    const faint = randomStars(60, SIDE, SIDE, 9).map((star) => ({ ...star, flux }));
    // Some clear ones, of which the shape is measured.
    const clear = randomStars(12, SIDE, SIDE, 10).map((star) => ({ ...star, flux: 25 * flux }));
    const sky = (stars: typeof faint) => paintStars(SIDE, SIDE, [...stars, ...clear], { noise: 0, level: 100 }).planes;
    const [truth, without] = [sky(faint), sky([])];
    const of = exposed(truth, () => 1, 34);
    const kept = async (keepPoints: boolean) => {
      const { planes } = await clean(operation, of, { keepPoints });
      // How much of each star is in the picture: its projection on the star's own light.
      return faint.filter(({ x, y }) => {
        let [own, all] = [0, 0];
        for (let v = Math.max(0, Math.round(y) - 4); v <= Math.min(SIDE - 1, Math.round(y) + 4); v++)
          for (let u = Math.max(0, Math.round(x) - 4); u <= Math.min(SIDE - 1, Math.round(x) + 4); u++) {
            const light = truth[0][v * SIDE + u] - without[0][v * SIDE + u];
            own += light * (planes[0][v * SIDE + u] - without[0][v * SIDE + u]);
            all += light * light;
          }
        return own > 0.5 * all;
      }).length;
    };
    const [withPoints, bare] = [await kept(true), await kept(false)];
    expect(withPoints).toBeGreaterThanOrEqual(bare);
    expect(withPoints).toBeGreaterThanOrEqual(54);
  });
});
