import type { ListedStar, SubMeasures } from "../measure";
import { createRandom } from "../numeric/random";
import { planStack } from "./plan";
import type { SubFacts } from "./plan";
import { bestReference, referenceScores } from "./reference";
import { stackSettings } from "./settings";

/** Subs made up by hand: what a formula must not fall for. */
const measures = (part: Partial<SubMeasures>): SubMeasures => ({
  stars: 100,
  fwhmPx: 3,
  eccentricity: 0.3,
  elongationAngle: 0,
  elongationAgreement: 0,
  background: [0.01],
  gradient: [{ level: 0.01, dx: 0, dy: 0 }],
  noise: [0.001],
  noiseCorrelation: [1],
  saturatedShare: 0,
  trail: null,
  otherTrails: [],
  looksMosaic: false,
  blackShare: 0,
  double: null,
  ...part,
});
const candidate = (id: string, part: Partial<SubMeasures>, scale = 1) => ({
  id,
  width: 100,
  height: 80,
  relation: { scale },
  measures: measures(part),
});

test("sharp, clear, round and even subs are preferred, in that order of weight", () => {
  const best = (...of: ReturnType<typeof candidate>[]) => bestReference(of)?.id;
  expect(best(candidate("a", {}), candidate("b", { fwhmPx: 2.5 }))).toBe("b");
  expect(best(candidate("a", {}), candidate("b", { fwhmPx: 2.9 }, 1.5))).toBe("a"); // a third of the light is gone
  expect(best(candidate("a", {}), candidate("b", { eccentricity: 0.8 }))).toBe("a");
  const sloped = { gradient: [{ level: 0.01, dx: 1e-4, dy: 0 }] };
  const slight = { gradient: [{ level: 0.01, dx: 1e-5, dy: 0 }] };
  expect(best(candidate("a", slight), candidate("b", sloped), candidate("c", slight))).toBe("a");
});

test("a soft sub never wins by an even sky, whatever the level of the sky is (no pedestal: it may be zero)", () => {
  for (const level of [0, 1e-6, -0.002, 0.01]) {
    const even = candidate("soft", { fwhmPx: 4.2, gradient: [{ level, dx: 0, dy: 0 }] });
    const others = [1, 2, 3].map((k) => candidate(`sharp${k}`, { gradient: [{ level, dx: 2e-6 * k, dy: 0 }] }));
    expect(bestReference([even, ...others])?.id).toBe("sharp1");
  }
});

test("double images and defocused subs, whose width is that of hits, get no score", () => {
  const scores = referenceScores([
    candidate("a", {}),
    candidate("b", { fwhmPx: 3.2 }),
    candidate("double", { fwhmPx: 2, double: { share: 0.8, dx: 7, dy: -4 } }),
    candidate("hits", { fwhmPx: 1.6, stars: 30 }),
    candidate("none", { fwhmPx: null }),
  ]);
  expect([...scores.keys()]).toEqual(["a", "b"]);
});

describe("in a plan", () => {
  const field = (seed: number): ListedStar[] => {
    const random = createRandom(seed);
    return Array.from({ length: 60 }, () => ({
      x: 500 * random.uniform(),
      y: 400 * random.uniform(),
      flux: 1 + 9 * random.uniform(),
      snr: 50,
      saturated: false,
    }));
  };
  // No two of them are the same picture.
  let made = 0;
  const facts = (id: string, stars: ListedStar[], part: Partial<SubMeasures> = {}): SubFacts => ({
    id,
    name: id,
    width: 500,
    height: 400,
    channels: 1,
    exposureS: 60,
    stars,
    measures: measures({ background: [0.01 + 1e-9 * made++], ...part }),
  });
  const settings = stackSettings.parse({});

  test("the sharpest of another field is no reference: most of the others must match it", () => {
    const own = ["a", "b", "c", "d"].map((id) => facts(id, field(1)));
    const plan = planStack([facts("stranger", field(2), { fwhmPx: 2 }), ...own], settings);
    expect(plan.used.map(({ id }) => id)).toEqual(["a", "b", "c", "d"]);
    expect(plan.leftOut[0]).toMatchObject({ id: "stranger", reason: expect.stringContaining("could not be matched") });
  });

  test("a double image is left out with its reason, kept when asked for, and is no reference unless a person says so", () => {
    const double = { double: { share: 0.8, dx: 7, dy: -4 }, fwhmPx: 2 };
    const subs = [facts("twice", field(1), double), ...["a", "b", "c"].map((id) => facts(id, field(1)))];
    expect(planStack(subs, settings).leftOut).toEqual([
      { id: "twice", name: "twice", reason: "shows its stars twice, 8.1 px apart (80 % of them): the mount jumped" },
    ]);
    const kept = planStack(subs, { ...settings, keepDoubles: true });
    expect(kept.used.length).toBe(4);
    expect(kept.referenceId).not.toBe("twice");
    expect(planStack(subs, { ...settings, referenceId: "twice" }).referenceId).toBe("twice");
  });

  test("weights: noise alone, noise with width and shape, or equal; an unknown noise weighs as the least of the others", () => {
    const subs = [
      facts("a", field(1)),
      facts("b", field(1), { eccentricity: 0.8 }),
      facts("c", field(1), { fwhmPx: 4 }),
      facts("d", field(1), { noise: [0] }),
    ];
    const weights = (of: "shape" | "noise" | "equal") => {
      const used = planStack(subs, { ...settings, weights: of }).used.map(({ weight }) => weight[0]);
      return used.map((w) => w / used[0]);
    };
    expect(weights("equal")).toEqual([1, 1, 1, 1]);
    expect(weights("noise")).toEqual([1, 1, 1, 1]);
    // Axis ratio √(1 − e²): 0.6 / 0.954; width 3 / 4 (formula of subWeight).
    const [, b, c, d] = weights("shape");
    expect(b).toBeCloseTo(0.6 / Math.sqrt(1 - 0.09), 6);
    expect(c).toBeCloseTo(0.75, 6);
    expect(d).toBeCloseTo(Math.min(b, c), 6);
  });

  test("filters are not mixed unless asked: the most frequent is stacked; a raw mosaic is never stacked as grey", () => {
    const of = (id: string, filter: string | null): SubFacts => ({
      ...facts(id, field(1)),
      metadata: { filter } as SubFacts["metadata"],
    });
    const subs = [of("r1", "R"), of("g1", "G"), of("g2", "g "), of("r2", "R"), of("g3", "G"), of("x", null)];
    const plan = planStack(subs, settings);
    expect(plan.used.map(({ id }) => id)).toEqual(["g1", "g2", "g3", "x"]);
    expect(plan.leftOut.map(({ id }) => id)).toEqual(["r1", "r2"]);
    for (const { reason } of plan.leftOut) expect(reason).toMatch(/^is of filter R, the stack is of g ?$/i);
    expect(planStack(subs, { ...settings, mixFilters: true }).used.length).toBe(6);
    const raw = subs.map((sub) => ({ ...sub, mosaic: true }));
    expect(() => planStack(raw, settings)).toThrow(/no sub can be stacked.*mosaic/);
  });

  test("nothing to stack ends at once, in words", () => {
    const blank = facts("blank", [], { stars: 0, fwhmPx: null });
    expect(() => planStack([blank, blank], settings)).toThrow(/no star's width could be measured/);
  });
});
