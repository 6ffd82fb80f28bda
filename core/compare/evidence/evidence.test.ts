import type { ChainInput } from "../../chain";
import { measureChain, newStep, readySteps } from "../../chain";
import { quietJob } from "../../job";
import { findOperation } from "../../operations";
import { createRandom } from "../../numeric/random";
import type { Raster } from "../../raster";
import { clippedMean, cropRaster, frameOfRaster, rasterOf } from "../../raster";
import { paintStars, wasmKernels } from "../../testing/fixtures";
import { answersOf, areaUnderCurve, FORMS } from "../../testing/planted";
import { evidenceOf, supportOf } from "./index";
import { significantShare } from "./evidence";
import { starSupport } from "./stars";
import { bands } from "./bands";
import { bootstrapLight, treatedBootstrap } from "./bootstrapResidual";
import { evidenceViews, NOISY_SOURCES, supportViews, treatedSource, wholeViews } from "./views";

const job = quietJob(wasmKernels());
const SIDE = 320;
const SIGMA = 0.001;
const SHAPE = { fwhmPx: 3, beta: 3.5 };

/** A sky of soft gas and some stars, the same every time. */
function sky(): Float32Array {
  const stars = Array.from({ length: 24 }, (_, k) => ({
    x: 30 + 52 * (k % 6),
    y: 30 + 70 * (k >> 2),
    flux: 0.02 * 1.25 ** k,
  }));
  const { planes } = paintStars(SIDE, SIDE, stars, { fwhm: SHAPE.fwhmPx, noise: 0, level: 0.02 });
  return planes[0].map(
    (v, i) => v + 0.01 * Math.exp(-(((i % SIDE) - 200) ** 2 + (Math.floor(i / SIDE) - 120) ** 2) / 9800),
  );
}

const noisy = (truth: Float32Array, sigma: number, seed: number): Float32Array => {
  const random = createRandom(seed);
  return truth.map((v) => v + sigma * random.normal());
};

/** Halves of that sky and their mean. */
function stackOf(truth: Float32Array, seed: number): ChainInput & { planes: Record<"whole" | "a" | "b", Raster> } {
  const [a, b] = [noisy(truth, SIGMA * Math.SQRT2, seed), noisy(truth, SIGMA * Math.SQRT2, seed + 1)];
  const [whole, ofA, ofB] = [a.map((v, i) => (v + b[i]) / 2), a, b].map((plane) => rasterOf(SIDE, SIDE, [plane]));
  return {
    picture: frameOfRaster(whole),
    halves: { a: frameOfRaster(ofA), b: frameOfRaster(ofB) },
    fill: [0.02],
    fullScale: 1,
    planes: { whole, a: ofA, b: ofB },
  };
}

async function ready(input: ChainInput, operation: string, params: Record<string, unknown> = {}, ...later: string[]) {
  const steps = [operation, ...later].map((id, k) => {
    const known = findOperation(id);
    if (!known) throw new Error(id);
    const fresh = newStep(known);
    return { ...fresh, params: { ...fresh.params, ...(k === 0 ? params : {}) } };
  });
  return readySteps(steps, await measureChain(input, steps, job));
}

const PLACE = { x: 64, y: 64, width: 192, height: 192 };

test("an untouched lane: all noise is left, nothing is unsupported or lost, every star stands", async () => {
  const evidence = await evidenceOf(stackOf(sky(), 5), [], PLACE, SHAPE, job);
  if (!evidence) throw new Error("no evidence");
  evidence.noise.left.forEach((left, j) => expect(left / evidence.noise.before[j]).toBeCloseTo(1, 6));
  expect(evidence.noise.before[0]).toBeGreaterThan(0.98 * SIGMA);
  expect(evidence.noise.before[0]).toBeLessThan(1.02 * SIGMA);
  // The disturbed picture has √(1 + ¼²) times the noise.
  expect(evidence.error).toBeCloseTo(Math.hypot(1, 0.25), 5);
  expect([evidence.unsupportedShare, evidence.lostShare, evidence.isBlurred]).toEqual([0, 0, false]);
  expect(evidence.stars.length).toBeGreaterThan(4);
  expect(evidence.stars.filter(({ standing }) => standing === "notInData" || standing === "lost")).toEqual([]);
  expect(evidence.rings?.before).toEqual(evidence.rings?.after);
  expect(await evidenceOf({ ...stackOf(sky(), 5), halves: null }, [], PLACE, SHAPE, job)).toBeNull();
});

// Truth: the spread of what comes of the same sky under other noise.
test.each([
  ["noise.gaussian", {}, 0.02],
  ["deconvolve.richardson-lucy", { iterations: 20, shown: false, smoothness: 0, psf: "typed", fwhmPx: 3 }, 0.03],
  ["noise.mixture", {}, 0.04],
  ["noise.non-local-means", {}, 0.05],
])("%s: the noise that is left at each scale is that of repeated nights", async (operation, params, within) => {
  const truth = sky();
  const input = stackOf(truth, 11);
  const steps = await ready(input, operation, params);
  const evidence = await evidenceOf(input, steps, PLACE, null, job);
  const found: number[][] = [[], [], []];
  const NIGHTS = 6;
  for (let night = 0; night < NIGHTS; night += 2) {
    const [p, q] = await Promise.all(
      [night, night + 1].map(async (k) => {
        const other = {
          ...input,
          picture: frameOfRaster(rasterOf(SIDE, SIDE, [noisy(truth, SIGMA, 100 + k)])),
          halves: null,
        };
        return (await evidenceViews(other, steps, PLACE, job)).after;
      }),
    );
    const apart = p.map((v, i) => (v - q[i]) / Math.SQRT2);
    const { width, height, inside } = await evidenceViews({ ...input, halves: null }, [], PLACE, job);
    bands(apart, width, height, job, 3).forEach((band, j) => {
      for (let y = inside.y; y < inside.y + inside.height; y++)
        for (let x = inside.x; x < inside.x + inside.width; x++) found[j].push(band[y * width + x]);
    });
  }
  const unit = [0.8908, 0.2007, 0.0855];
  found.forEach((values, j) => {
    const real = clippedMean(values, 5).sigma / unit[j];
    // As shares of the noise before, which differs from night to night at coarse scales.
    const told = (evidence?.noise.left[j] ?? NaN) / (evidence?.noise.before[j] ?? NaN);
    // What is next to nothing is measured less exactly.
    expect(Math.abs(told - real / SIGMA)).toBeLessThan((within * real) / SIGMA + 0.005);
  });
});

test.each([
  ["at first", supportViews],
  ["by all runs", evidenceViews],
])("%s, false and erased structure of 6 σ is flagged: points, soft blobs, filaments, rings", async (_, viewsOf) => {
  const input = stackOf(sky(), 21);
  const views = await viewsOf(input, await ready(input, "noise.mixture"), PLACE, job);
  if (!views) throw new Error("no views");
  for (const [name, form] of FORMS) {
    const { unsupported, plainUnsupported, lost, plainLost } = answersOf(views, form, job).itself;
    expect([name, areaUnderCurve(unsupported, plainUnsupported) > 0.95]).toEqual([name, true]);
    expect([name, areaUnderCurve(lost, plainLost) > 0.95]).toEqual([name, true]);
  }
});

test("what is measured first, of two runs, is nearly what is measured of all: the same stars, and much the same light", async () => {
  const input = stackOf(sky(), 23);
  const steps = await ready(input, "noise.gaussian", { fwhmPx: 4 });
  const [first, all] = [
    await supportOf(input, steps, PLACE, SHAPE, job),
    await evidenceOf(input, steps, PLACE, SHAPE, job),
  ];
  if (!first || !all) throw new Error("no evidence");
  // The Gaussian is linear: one run beside the stack's says what two do, but for rounding.
  expect(first.stars.map(({ standing }) => standing)).toEqual(all.stars.map(({ standing }) => standing));
  expect(all.lostShare).toBeGreaterThan(0.01);
  expect(first.lostShare).toBeCloseTo(all.lostShare, 3);
  expect(await supportOf({ ...input, halves: null }, steps, PLACE, SHAPE, job)).toBeNull();
});

test("stars of a lane: those that the data hold, those that they do not, and those that are gone", async () => {
  const views = await evidenceViews(stackOf(sky(), 31), [], PLACE, job);
  const { width, inside, noise } = views;
  const psf = (x: number, y: number) => (1 + (x * x + y * y) / 5.1) ** -3.5;
  // A star that nobody saw, and one of the data that the lane lacks; between the painted ones.
  const [false_, gone] = [
    [inside.x + 40, inside.y + 71],
    [inside.x + 92, inside.y + 71],
  ];
  const add = (plane: Float32Array, [x, y]: number[], height: number) =>
    plane.map((v, i) => v + height * psf((i % width) - x, Math.floor(i / width) - y));
  const lane = add(
    views.before.map((v, i) => v - (noise?.[i] ?? 0)),
    false_,
    8 * SIGMA,
  );
  const [before, a, b] = [views.before, views.halves?.a, views.halves?.b].map((plane) =>
    add(plane ?? views.before, gone, 8 * SIGMA),
  );
  const stars = starSupport({ ...views, before, after: lane, told: lane, halves: { a, b } }, SHAPE, job);
  const standing = ([x, y]: number[]) => stars.find((star) => Math.hypot(star.x - x, star.y - y) < 2)?.standing;
  expect(standing(false_)).toBe("notInData");
  expect(standing(gone)).toBe("lost");
  expect(stars.filter((star) => star.standing === "kept").length).toBeGreaterThan(4);
});

test("peaks into which a lane breaks one star are one, those that are further apart two", async () => {
  const views = await evidenceViews(stackOf(sky(), 31), [], PLACE, job);
  const { width, inside, noise } = views;
  const wide = { ...SHAPE, fwhmPx: 6.4 };
  const needles = [0, 4, 30, 36].map((away) => [inside.x + 30 + away, inside.y + 71]);
  const lane = views.before.map((v, i) => {
    const at = [i % width, Math.floor(i / width)];
    const light = needles.reduce(
      (sum, [x, y]) => sum + 30 * SIGMA * Math.exp(-((at[0] - x) ** 2 + (at[1] - y) ** 2) / 2),
      0,
    );
    return v - (noise?.[i] ?? 0) + light;
  });
  const stars = starSupport({ ...views, after: lane, told: lane }, wide, job);
  const along = stars.filter(({ x, y }) => Math.abs(y - needles[0][1]) < 1.5 && x > needles[0][0] - 2);
  const near = (x: number) => along.filter((star) => Math.abs(star.x - x) < 4).length;
  expect([near(needles[0][0] + 2), near(needles[2][0] + 3)]).toEqual([1, 2]);
});

test("of what is called not in the data nothing is true, and structures of 7 σ that are not in them are called so", async () => {
  const psf = (x: number, y: number) => (1 + (x * x + y * y) / 5.1) ** -3.5;
  // The matched filter's answer to a star of height 1, over the noise of a pixel: √Σ p².
  let squares = 0;
  for (let y = -12; y <= 12; y++) for (let x = -12; x <= 12; x++) squares += psf(x, y) ** 2;
  const heightOf = (sigmas: number) => (sigmas * SIGMA) / Math.sqrt(squares);
  const counts = { invented: 0, caught: 0, called: 0, false: 0 };
  for (let seed = 1; seed <= 6; seed++) {
    const random = createRandom(seed);
    const place = (k: number) => [72 + 30 * (k % 6) + 6 * random.uniform(), 78 + 30 * Math.floor(k / 6)];
    const drawn = (plane: Float32Array, width: number, stars: { x: number; y: number; height: number }[]) =>
      plane.map((v, i) =>
        stars.reduce((sum, { x, y, height }) => {
          const [dx, dy] = [(i % width) - x, Math.floor(i / width) - y];
          return Math.abs(dx) > 12 || Math.abs(dy) > 12 ? sum : sum + height * psf(dx, dy);
        }, v),
      );
    const faint = Array.from({ length: 12 }, (_, k) => {
      const [x, y] = place(2 * k);
      return { x, y, height: heightOf(2.5 + 5 * random.uniform()) };
    });
    const truth = drawn(sky(), SIDE, faint);
    const views = await evidenceViews(stackOf(truth, 40 + 2 * seed), [], PLACE, job);
    const { width, height, inside } = views;
    const invented = Array.from({ length: 12 }, (_, k) => {
      const [x, y] = place(2 * k + 1);
      return { x: x - PLACE.x + inside.x, y: y - PLACE.y + inside.y, height: heightOf(7) };
    });
    // A lane without noise shows faint stars as they are, of which the data show less as often as more.
    const area = { x: PLACE.x - inside.x, y: PLACE.y - inside.y, width, height };
    const after = drawn(cropRaster(rasterOf(SIDE, SIDE, [truth]), area).planes[0], width, invented);
    const called = starSupport({ ...views, after, told: after }, SHAPE, job).filter(
      ({ standing }) => standing === "notInData",
    );
    const isOf = (star: { x: number; y: number }) =>
      invented.some(({ x, y }) => Math.hypot(x - star.x, y - star.y) < 2.5);
    counts.invented += invented.length;
    counts.called += called.length;
    counts.caught += called.filter(isOf).length;
    counts.false += called.filter((star) => !isOf(star)).length;
  }
  expect(counts.invented).toBe(72);
  expect(counts.caught).toBeGreaterThanOrEqual(0.95 * counts.invented);
  expect(counts.false).toBeLessThanOrEqual(0.01 * counts.called);
});

test("stars apart, blurred again by its own PSFs, is the stack again; a star that it left alone too, unless a later step touches it", async () => {
  // The brightest is clipped, and its light ran over along a column.
  const [full] = paintStars(SIDE, SIDE, [{ x: 134, y: 134, flux: 12 }], {
    fwhm: SHAPE.fwhmPx,
    noise: 0,
    level: 0,
  }).planes;
  const most = 0.3 * full[134 * SIDE + 134];
  const ranOver = (i: number) => Math.abs((i % SIDE) - 134) < 2 && Math.abs(Math.floor(i / SIDE) - 134) < 20;
  const bright = full.map((v, i) => (ranOver(i) ? most : Math.min(v, most)));
  const input = stackOf(
    sky().map((v, i) => v + bright[i]),
    41,
  );
  const middleOf = ({ width, inside }: { width: number; inside: { x: number; y: number } }, x: number, y: number) =>
    (y - PLACE.y + inside.y) * width + x - PLACE.x + inside.x;
  const views = await evidenceViews(input, await ready(input, "deconvolve.stars-apart"), PLACE, job);
  expect(views.tolerance).toBe(0.02);
  const [left, drawn] = [middleOf(views, 134, 134), middleOf(views, 186, 240)];
  // The brightest is left nearly alone; a fainter one is drawn anew: higher, and as it was once blurred again.
  expect(Math.abs(views.after[left] / views.before[left] - 1)).toBeLessThan(0.1);
  expect(Math.abs(views.told[left] / views.before[left] - 1)).toBeLessThan(0.005);
  expect(views.after[drawn]).toBeGreaterThan(1.5 * views.before[drawn]);
  expect(Math.abs(views.told[drawn] - views.before[drawn])).toBeLessThan(0.03 * views.before[drawn] + 3 * SIGMA);
  const smoothed = await evidenceViews(
    input,
    await ready(input, "deconvolve.stars-apart", {}, "noise.gaussian"),
    PLACE,
    job,
  );
  expect(smoothed.told[left]).toBe(smoothed.after[left]);
  expect(smoothed.told[left]).toBeLessThan(0.98 * views.told[left]);
});

test("where stars were left alone is known from the run itself: stars are searched for once in each of the six pictures", async () => {
  const input = stackOf(sky(), 71);
  const steps = await ready(input, "deconvolve.stars-apart");
  const counting = () => {
    const told = { searches: 0 };
    const kernels = {
      ...job.kernels,
      solveStars: ((...args) => (told.searches++, job.kernels.solveStars(...args))) as typeof job.kernels.solveStars,
    };
    return { told, job: quietJob(kernels) };
  };
  const [six, all] = [counting(), counting()];
  const light = bootstrapLight(await wholeViews(input, steps, PLACE, six.job));
  for (const which of NOISY_SOURCES) await treatedSource(input, steps, PLACE, which, six.job);
  await treatedBootstrap(input, steps, PLACE, light ?? new Float32Array(), six.job);
  const views = await evidenceViews(input, steps, PLACE, all.job);
  expect(views.tolerance).toBeGreaterThan(0);
  expect(six.told.searches).toBeGreaterThanOrEqual(6);
  expect(all.told.searches).toBe(six.told.searches);
});

test("what came without its pixels is refused, and what is not known is not a share of nothing", async () => {
  const input = stackOf(sky(), 5);
  const steps = await ready(input, "noise.starlet");
  const empty = { width: 288, height: 288, channels: 1, planes: [new Float32Array(0)] };
  const ask = evidenceOf(input, steps, PLACE, SHAPE, job, { plus: empty });
  await expect(ask).rejects.toThrow("plus must have 288 × 288 pixels, received a plane of 0");
  const plus = await treatedSource(input, steps, PLACE, "plus", job);
  plus.planes[0].fill(NaN);
  const blank = await supportOf(input, steps, PLACE, null, job, { plus });
  expect(blank?.unsupportedShare).toBeNaN();
  expect(blank?.lostShare).toBeNaN();
});

test("a share of a map counts what is significant; one that is empty or has gaps has none", () => {
  expect(significantShare(Float32Array.of(0, 2.9, 3.1, 8))).toBe(0.5);
  expect(significantShare(new Float32Array(0))).toBeNaN();
  expect(significantShare(Float32Array.of(0, NaN))).toBeNaN();
});
