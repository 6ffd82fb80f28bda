import { quietJob, Stopped } from "../job";
import { measureSub } from "../measure";
import type { FrameSource } from "../raster";
import { cropRaster, frameOfRaster, median, robustSpread, wholeRegion } from "../raster";
import { compose, inverse, mapPoint, rotationAbout } from "../register";
import { createNight, exposeSub } from "../simulate";
import { SHARES, wasmKernels, worstDifference } from "../testing/fixtures";
import type { StackPlan, SubFacts } from "./index";
import {
  chooseReference,
  makeReport,
  planStack,
  relateSub,
  GRADED_BY,
  gradedRelation,
  stackRegion,
  stackSettings,
  stackSigmaFromHalves,
  tilesFor,
} from "./index";

const kernels = wasmKernels();
const job = quietJob(kernels);
const settings = stackSettings.parse({});
const night = createNight({ subs: 10, seed: 14, width: 320, height: 240 });
const rasters = night.subs.map((conditions) => exposeSub(night.sky, night.camera, conditions, 12, kernels));
const facts: SubFacts[] = rasters.map((raster, i) => ({
  id: `sub${i}`,
  name: `sub${i}`,
  width: 320,
  height: 240,
  channels: 3,
  exposureS: 120,
  ...measureSub(raster, kernels, { unit: SHARES }),
  unit: SHARES,
}));
const plan = planStack(facts, settings);
const sourcesOf = (p: typeof plan): FrameSource[] =>
  p.used.map(({ id }) => frameOfRaster(rasters[Number(id.slice(3))]));
const whole = wholeRegion(plan);
const BUDGET = 64 * 2 ** 20;

describe("the plan", () => {
  test("finds every transform, also through the meridian flip, and leaves the defocused sub out with its reason", () => {
    expect(plan.leftOut.map(({ id }) => id)).toEqual(["sub4"]);
    expect(plan.leftOut[0].reason).toMatch(/FWHM .* px is above the limit/);
    const reference = night.subs[Number(plan.referenceId.slice(3))];
    for (const sub of plan.used) {
      const truth = compose(reference.skyToSub, inverse(night.subs[Number(sub.id.slice(3))].skyToSub));
      const p = mapPoint(truth, 160, 120);
      const q = mapPoint(sub.toReference, 160, 120);
      expect(Math.hypot(p[0] - q[0], p[1] - q[1])).toBeLessThan(0.05);
    }
  });

  test("what grading matched is not matched again, and the plan is the same to the last digit", () => {
    const reference = facts.find(({ id }) => id === plan.referenceId) as SubFacts;
    const graded = facts.map((sub) => {
      const relation = relateSub(sub, reference, GRADED_BY, true);
      const value = relation.ok ? relation.value : null;
      // As it comes out of storage.
      return { ...sub, graded: gradedRelation.parse({ to: reference.id, value, transform: GRADED_BY }) };
    });
    expect(planStack(graded, { ...settings, referenceId: reference.id })).toEqual(
      planStack(facts, { ...settings, referenceId: reference.id }),
    );
    // It was taken from there: without its stars a sub could not be matched.
    const starless = graded.map((sub) => (sub.id === reference.id ? sub : { ...sub, stars: [] }));
    expect(planStack(starless, { ...settings, referenceId: reference.id }).used.length).toBe(plan.used.length);
    // Another transform, or reference, is matched anew.
    const other = plan.used.find(({ id }) => id !== reference.id)?.id as string;
    expect(planStack(starless, { ...settings, referenceId: other }).used.map(({ id }) => id)).toEqual([other]);
    expect(planStack(starless, { ...settings, transform: "affine", referenceId: reference.id }).used.length).toBe(1);
  });

  test("scales are those of the transmission to 6 % (few stars in a small field), weights fall with scaled noise, halves alternate", () => {
    const reference = night.subs[Number(plan.referenceId.slice(3))];
    const ratios = plan.used.map(
      (sub) => (sub.scale * night.subs[Number(sub.id.slice(3))].transmission) / reference.transmission,
    );
    // The reference's own error is in every scale alike.
    const common = median(ratios);
    for (const ratio of ratios) expect(Math.abs(ratio / common - 1)).toBeLessThan(0.06);
    expect(Math.abs(common - 1)).toBeLessThan(0.06);
    expect(plan.used.map(({ half }) => half)).toEqual(plan.used.map((_, i) => (i % 2 === 0 ? "A" : "B")));
    const byScale = [...plan.used].sort((a, b) => a.scale - b.scale);
    expect(byScale[byScale.length - 1].weight[0]).toBeLessThan(byScale[0].weight[0]);
  });

  test("a sub of another field, of other channels, and none at all", () => {
    const stranger = {
      ...facts[0],
      id: "x",
      name: "x",
      stars: unrelated(facts[0].stars),
    };
    const grey = { ...facts[1], id: "g", name: "g", channels: 1 };
    const made = planStack([...facts, stranger, grey], settings);
    expect(made.leftOut.find(({ id }) => id === "x")?.reason).toMatch(/could not be matched/);
    expect(made.leftOut.find(({ id }) => id === "g")?.reason).toMatch(/1 channels/);
    expect(() => planStack([], settings)).toThrow(RangeError);
    // The same picture under two names; the one that is asked for as the reference stays.
    const [first] = plan.used;
    const twice = [...facts, { ...facts[Number(first.id.slice(3))], id: "again", name: "again" }];
    const once = planStack(twice, settings);
    expect(once.used.map(({ id }) => id)).toEqual(plan.used.map(({ id }) => id));
    expect(once.leftOut.find(({ id }) => id === "again")?.reason).toContain(`is the same picture as ${first.name}`);
    const other = planStack(twice, { ...settings, referenceId: "again" });
    expect(other.leftOut.find(({ id }) => id === first.id)?.reason).toContain("is the same picture as again");
    expect(chooseReference([], settings)).toBeNull();
  });

  test("an asked reference is taken, even the defocused one", () => {
    const asked = planStack(facts, { ...settings, referenceId: "sub4" });
    expect(asked.referenceId).toBe("sub4");
    expect(asked.used.some(({ id }) => id === "sub4")).toBe(true);
  });
});

describe("combining", () => {
  test("the result does not depend on tiles or budget", async () => {
    const region = { x: 40, y: 60, width: 150, height: 70 };
    const large = await stackRegion(sourcesOf(plan), plan, settings, region, BUDGET, job);
    const small = await stackRegion(sourcesOf(plan), plan, settings, region, 300_000, job);
    large.mean.planes.forEach((plane, c) => expect(worstDifference(plane, small.mean.planes[c])).toBeLessThan(1e-7));
    expect(small.peakBytes).toBeLessThan(600_000);
    expect(large.samples).toBe(small.samples);
    const all = await stackRegion(sourcesOf(plan), plan, settings, whole, BUDGET, job);
    expect(worstDifference(cropRaster(all.mean, region).planes[0], large.mean.planes[0])).toBeLessThan(1e-7);
  });

  test("noise falls as the report expects, the halves show it, and coverage counts subs", async () => {
    const piece = await stackRegion(sourcesOf(plan), plan, settings, whole, BUDGET, job);
    const halves = piece.mean.planes.map(
      (_, c) => robustSpread(piece.a.planes[c].map((v, i) => (v - piece.b.planes[c][i]) / 2)).sigma,
    );
    const report = makeReport(plan, facts, settings, {
      halvesSigma: halves,
      fwhmPx: 3,
      samples: piece.samples,
      rejected: piece.rejected,
      seconds: 1,
      peakBytes: piece.peakBytes,
    });
    for (const noise of report.noise) {
      const { fromHalves, expected } = noise;
      expect((fromHalves ?? NaN) / (expected ?? NaN)).toBeGreaterThan(0.9);
      expect((fromHalves ?? NaN) / (expected ?? NaN)).toBeLessThan(1.1);
      expect(noise.measuredGain).toBeGreaterThan(2.4); // √9 is 3, less for poor subs, more through resampling
    }
    expect(report.subsUsed).toBe(9);
    expect(report.integrationS).toBe(9 * 120);
    expect(report.rejectedFraction).toBeGreaterThan(0);
    expect(report.rejectedFraction).toBeLessThan(0.02);
    expect(Math.max(...piece.coverage)).toBe(9);
    expect(Math.min(...piece.coverage)).toBeLessThan(9);
    expect(report.subs.find(({ used }) => !used)?.reason).toContain("FWHM");
  });

  test("rejection takes the trail and the hits out; without it they stay", async () => {
    const clipped = await stackRegion(sourcesOf(plan), plan, settings, whole, BUDGET, job);
    const keepAll = stackSettings.parse({ ...settings, reject: "none", keepTrails: true });
    const plain = await stackRegion(sourcesOf(plan), planStack(facts, keepAll), keepAll, whole, BUDGET, job);
    expect(plain.rejected).toBe(0);
    // The same night without the satellite shows where its light lies in the stack, and how much of it is left.
    const without = plan.used.map(({ id }) => {
      const conditions = night.subs[Number(id.slice(3))];
      return conditions.trail
        ? frameOfRaster(exposeSub(night.sky, night.camera, { ...conditions, trail: null }, 12, kernels))
        : frameOfRaster(rasters[Number(id.slice(3))]);
    });
    const dark = await stackRegion(without, plan, settings, whole, BUDGET, job);
    const excessOf = ({ mean }: typeof plain) => mean.planes[1].map((v, i) => v - dark.mean.planes[1][i]);
    const [before, after] = [excessOf(plain), excessOf(clipped)];
    const { sigma } = robustSpread(dark.mean.planes[1].map((v, i) => v - dark.a.planes[1][i]));
    const trail = [...before.keys()].filter((i) => before[i] > 3 * sigma);
    expect(trail.length).toBeGreaterThan(300);
    const mean = (values: Float32Array) => trail.reduce((sum, i) => sum + values[i], 0) / trail.length / sigma;
    expect(mean(before)).toBeGreaterThan(4);
    expect(Math.abs(mean(after))).toBeLessThan(0.1);
    // Each rejected sample is counted where it lay: those on the trail above.
    const counted = trail.reduce((sum, i) => sum + clipped.above[i], 0) / trail.length;
    expect(counted).toBeGreaterThan(0.95);
    // Left to the rejection alone, the wings of the trail stay in.
    const leaving = stackSettings.parse({ ...settings, keepTrails: true });
    const left = await stackRegion(sourcesOf(plan), planStack(facts, leaving), leaving, whole, BUDGET, job);
    expect(mean(excessOf(left))).toBeGreaterThan(mean(after));
    expect(mean(excessOf(left))).toBeLessThan(1);
  });

  test("a single sub is itself; a reference without data elsewhere gives NaN", async () => {
    const alone = planStack([facts[0]], settings);
    const piece = await stackRegion(
      [frameOfRaster(rasters[0])],
      alone,
      settings,
      { x: 0, y: 0, width: 40, height: 30 },
      BUDGET,
      job,
    );
    expect(
      worstDifference(piece.mean.planes[0], cropRaster(rasters[0], { x: 0, y: 0, width: 40, height: 30 }).planes[0]),
    ).toBeLessThan(1e-7);
    expect(piece.b.planes[0].every((v) => v !== v)).toBe(true);
  });

  test("a stop ends it at once", async () => {
    const stopping = { ...job, breathe: () => Promise.reject(new Stopped()) };
    await expect(stackRegion(sourcesOf(plan), plan, settings, whole, BUDGET, stopping)).rejects.toThrow(Stopped);
  });
});

/** As many stars, spread as they are, at other places. */
const unrelated = <T extends { x: number; y: number }>(stars: readonly T[]): T[] =>
  stars.map((star, i) => ({ ...star, y: stars[(7 * i + 3) % stars.length].y }));

test("a strip is combined in bands of whole rows that fit the budget, a much turned one in squares of at least 16 px", () => {
  const size = { width: 6000, height: 4000 };
  const region = { x: 0, y: 1000, width: 6000, height: 256 };
  const of = (count: number, turn: number, budget: number) => {
    const used = Array.from({ length: count }, () => ({ toReference: rotationAbout(turn, 3000, 2000, 0, 0) }));
    return tilesFor(
      region,
      { used, channels: 3 } as unknown as StackPlan,
      new Array<typeof size>(count).fill(size),
      budget,
    );
  };
  const many = of(300, 0.002, 512 * 2 ** 20);
  expect(many.every(({ width }) => width === 6000)).toBe(true);
  expect(many[0].height).toBe(20);
  expect(of(20, Math.PI, 512 * 2 ** 20)[0]).toEqual({ ...region, height: 128 });
  const turned = of(500, Math.PI / 2, 256 * 2 ** 20);
  expect(turned[0].width).toBeLessThan(300);
  expect(500 * 3 * 4 * turned[0].width * turned[0].height).toBeLessThan(256 * 2 ** 20);
  expect(of(5000, 1, 1000)[0].width).toBe(16);
  for (const tiles of [many, turned])
    expect(tiles.reduce((sum, { width, height }) => sum + width * height, 0)).toBe(6000 * 256);
});

test("normalisation: starlight and sky, the sky alone, or nothing", () => {
  const dim: SubFacts = {
    ...facts[1],
    id: "dim",
    measures: {
      ...facts[0].measures,
      background: facts[0].measures.background.map((v) => 0.5 * v + 0.01),
      gradient: facts[0].measures.gradient.map(({ level, dx, dy }) => ({ level: 0.5 * level + 0.01, dx, dy })),
    },
    stars: facts[0].stars.map((star) => ({ ...star, flux: 0.5 * star.flux })),
  };
  const of = (normalise: "photometric" | "offset" | "none") => {
    const made = planStack([facts[0], dim], stackSettings.parse({ normalise, referenceId: facts[0].id, fwhmLimit: 0 }));
    return made.used.find(({ id }) => id === "dim");
  };
  const { level } = facts[0].measures.gradient[0];
  expect(of("photometric")?.scale).toBeCloseTo(2, 6);
  expect(2 * (0.5 * level + 0.01) + (of("photometric")?.offset[0].level ?? NaN)).toBeCloseTo(level, 9);
  expect(of("offset")?.scale).toBe(1);
  expect(0.5 * level + 0.01 + (of("offset")?.offset[0].level ?? NaN)).toBeCloseTo(level, 9);
  expect(of("none")).toMatchObject({ scale: 1, offset: [{ level: 0, dx: 0, dy: 0 }, {}, {}] });
});

test("halves of equal weight tell the stack's noise as it is; unequal ones are corrected (derivation beside the function)", () => {
  expect(stackSigmaFromHalves(2, 5, 5)).toBe(2);
  // W_A = 1, W_B = 3: stack variance 1/4, (A − B)/2 variance (1 + 1/3)/4 = 1/3
  expect(stackSigmaFromHalves(Math.sqrt(1 / 3), 1, 3)).toBeCloseTo(0.5, 12);
});

test("a sub relates to a reference by its stars: starlight, place and sky; another field does not", () => {
  const { stars, measures } = facts[0];
  const reference = { id: "reference", stars, measures };
  const dimmed = {
    id: "dim",
    measures,
    stars: stars.map((star) => ({ ...star, x: star.x + 3, flux: star.flux * 0.7 })),
  };
  const relation = relateSub(dimmed, reference);
  expect(relation.ok && 1 / relation.value.scale).toBeCloseTo(0.7, 6);
  expect(relation.ok && mapPoint(relation.value.toReference, 0, 0)[0]).toBeCloseTo(-3, 3);
  // The sky of the dimmed sub is lifted to the reference's: scale · own + offset.
  const { level } = measures.gradient[0];
  expect(relation.ok && relation.value.scale * level + relation.value.offset[0].level).toBeCloseTo(
    level + (3 * measures.gradient[0].dx) / 0.7,
    4,
  );
  expect(relateSub({ ...dimmed, stars: unrelated(stars) }, reference).ok).toBe(false);
});
