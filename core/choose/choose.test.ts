import { IDENTITY } from "../register";
import { NO_METADATA } from "../formats";
import { SIXTEEN_BITS } from "../testing/fixtures";
import { measuresCsv, rejectedCsv, rejectedList } from "./csv";
import type { GradedFrame } from "./measures";
import { MEASURES, measureOf } from "./measures";
import { proposeReference } from "./reference";
import type { Decision, Rule } from "./rules";
import { applyRules, firstRule, flagsOf, ruleSentence } from "./rules";
import { fullLightOf, nightOf, setsOf, tellingKeys } from "./sets";

const frame = (
  id: string,
  fwhm: number | null,
  stars: number,
  weight: number | null,
  part: Partial<GradedFrame> = {},
): GradedFrame => ({
  id,
  name: `${id}.fits`,
  order: id.charCodeAt(0),
  width: 101,
  height: 51,
  unit: SIXTEEN_BITS,
  metadata: { ...NO_METADATA, exposureS: 120, filter: "L", date: "2026-01-17T21:04:00" },
  pixelScale: 1.5,
  measures: {
    stars,
    fwhmPx: fwhm,
    eccentricity: 0.3,
    elongationAngle: 0.5,
    elongationAgreement: 0.9,
    background: [0.01],
    gradient: [{ level: 0.01, dx: 1e-5, dy: 0 }],
    noise: [0.001],
    saturatedShare: 0,
    noiseCorrelation: [1],
    trail: null,
    otherTrails: [],
    looksMosaic: false,
    blackShare: 0,
    double: null,
  },
  video: null,
  relation: weight === null ? null : { toReference: IDENTITY, residualPx: 0, pairs: 9, scale: 1.25, offset: [] },
  fullLight: 1,
  weight,
  patchDifference: null,
  ...part,
});
const frames = [frame("a", 2.5, 100, 1), frame("b", 3.0, 80, 0.8), frame("c", 3.6, 60, 0.5), frame("d", null, 5, null)];
const none = new Map<string, Decision>();
const out = (rules: Rule[], decisions = none) =>
  [...applyRules(frames, decisions, rules)]
    .filter(([, { included }]) => !included)
    .map(([id]) => id)
    .join("");
const on = { id: "r", on: true } as const;

test("each kind of rule keeps what its sentence says", () => {
  const limit: Rule = { ...on, kind: "limit", measure: "fwhm", side: "below", value: 3.2 };
  expect([ruleSentence(limit), out([limit])]).toEqual(["FWHM below 3.20 px", "c"]);
  const above: Rule = { ...on, kind: "limit", measure: "stars", side: "above", value: 70 };
  expect([ruleSentence(above), out([above])]).toEqual(["stars above 70", "cd"]);
  const share: Rule = { ...on, kind: "ofBest", measure: "stars", percent: 70 };
  expect([ruleSentence(share), out([share])]).toEqual(["stars at least 70 % of the best", "cd"]);
  const widest: Rule = { ...on, kind: "ofBest", measure: "fwhm", percent: 120 };
  expect([ruleSentence(widest), out([widest])]).toEqual(["FWHM at most 120 % of the best", "c"]);
  const best: Rule = { ...on, kind: "best", measure: "weight", percent: 60 };
  expect([ruleSentence(best), out([best])]).toEqual(["the best 60 % by weight", "c"]);
  expect(out([{ ...limit, on: false }])).toBe("");
});

test("the best n % are of what the other rules and hands leave; a value that is not known fails no rule", () => {
  const best: Rule = { ...on, kind: "best", measure: "weight", percent: 50 };
  const sharp: Rule = { ...on, kind: "limit", measure: "fwhm", side: "below", value: 3.2 };
  expect(out([best, sharp])).toBe("bc");
  expect(out([best], new Map([["a", "reject" as const]]))).toBe("ac");
});

test("hands overrule rules, and every rejected frame says why", () => {
  const rules: Rule[] = [{ ...on, kind: "limit", measure: "fwhm", side: "below", value: 3.2 }];
  const verdicts = applyRules(
    frames,
    new Map<string, Decision>([
      ["c", "keep"],
      ["a", "reject"],
    ]),
    rules,
  );
  expect(verdicts.get("c")).toEqual({ included: true, reasons: [] });
  expect(verdicts.get("a")).toEqual({ included: false, reasons: ["rejected by hand"] });
  expect(applyRules(frames, none, rules).get("c")?.reasons).toEqual(["FWHM 3.60 px is above 3.20 px"]);
});

test("flags: a trail, and cloud by starlight; rules against them", () => {
  const trailed = frame("t", 3, 50, 1, {
    measures: { ...frames[0].measures, trail: { angle: 1, offsetPx: 4, share: 0.9, below: 4, above: 4 } },
  });
  expect(flagsOf(trailed)).toEqual(["trail", "cloud"]); // scale 1.25 is 80 % of the starlight
  const verdicts = applyRules([trailed], none, [
    { ...on, kind: "without", flag: "trail" },
    { ...on, kind: "without", flag: "cloud" },
  ]);
  expect(verdicts.get("t")?.reasons).toEqual(["has a trail", "cloud"]);
});

test("measures: units, arcsec, gradient over the frame, unknown is null", () => {
  const value = (id: Parameters<typeof measureOf>[0], of = frames[0]) => measureOf(id).value(of);
  expect(value("fwhmArcsec")).toBeCloseTo(3.75, 12);
  expect(value("background")).toBeCloseTo(655.35, 6);
  expect(value("gradient")).toBeCloseTo((1e-5 * 100) / 0.001, 6); // span over σ
  expect(value("starlight")).toBeCloseTo(80, 12);
  expect(value("time")).toBeCloseTo(21 + 4 / 60, 9);
  expect(value("time", frame("x", 3, 1, 1, { metadata: { ...NO_METADATA, date: "2026-01-18T01:30:00" } }))).toBe(25.5);
  for (const { id, value: read } of MEASURES)
    if (
      ["fwhm", "fwhmArcsec", "starlight", "weight", "sharpness", "brightness", "drift", "patchDifference"].includes(id)
    )
      expect(read(frames[3])).toBeNull();
});

test("a video frame has its own measures, not those of stars, and the sharpest is proposed as reference", () => {
  const video = (id: string, quality: number) =>
    frame(id, null, 0, null, {
      video: { sharpness: [0.004, 0.003, 0.002, 0.001], quality, brightness: 10, x: 53, y: 29 },
    });
  const read = (id: Parameters<typeof measureOf>[0]) => measureOf(id).value(video("v", 0.005));
  expect([read("stars"), read("gradient")]).toEqual([null, null]);
  expect([read("sharpness"), read("sharpness2"), read("sharpness4"), read("sharpness8")]).toEqual([5, 3, 2, 1]);
  expect(read("drift")).toBe(5); // from (50, 25): a 3-4-5 triangle
  expect(proposeReference([video("a", 0.004), video("b", 0.006), video("c", 0.005)])).toEqual({
    id: "b",
    reasons: ["sharpness 6.00, the highest of 3"],
  });
});

test("the reference is proposed by weight, shape and gradient together, with ranks", () => {
  const sloped = frame("s", 2.5, 100, 1, {
    measures: { ...frames[0].measures, gradient: [{ level: 0.01, dx: 2e-4, dy: 0 }] },
  });
  const proposal = proposeReference([sloped, ...frames]);
  expect(proposal?.id).toBe("a");
  expect(proposal?.reasons).toEqual([
    "weight 100 %, 1st of 4",
    "FWHM 2.50 px, 1st of 4",
    "eccentricity 0.30, 1st of 4",
    expect.stringMatching(/^sky gradient .* σ, 1st of 4$/),
  ]);
  expect(proposeReference([frames[3]])).toBeNull();
});

test("sets by what differs, with their integration time; a night runs from noon to noon", () => {
  const mixed = [
    frame("a", 3, 1, 1),
    frame("b", 3, 1, 1, { metadata: { ...NO_METADATA, exposureS: 300, filter: "R", date: "2026-01-18T02:00:00" } }),
    frame("c", 3, 1, 1),
  ];
  expect(tellingKeys(mixed)).toEqual(["filter", "exposure"]);
  expect(setsOf(mixed, ["filter", "exposure"]).map(({ label, integrationS }) => [label, integrationS])).toEqual([
    ["L · 120 s", 240],
    ["R · 300 s", 300],
  ]);
  expect(nightOf("2026-01-18T02:00:00")).toBe("2026-01-17");
  expect(nightOf("2026-01-17T13:00:00")).toBe("2026-01-17");
  expect(nightOf(null)).toBeNull();
  expect(setsOf(mixed, []).map(({ label }) => label)).toEqual(["all"]);
});

test("CSV after RFC 4180, and a plain list of the rejected", () => {
  const odd = frame("q", 3, 10, 1, { name: 'night "1", a.fits' });
  const verdicts = applyRules([odd, frames[2]], new Map([["c", "reject" as const]]), []);
  const [head, first] = measuresCsv([odd, frames[2]], verdicts).split("\r\n");
  expect(head).toContain("FWHM (px)");
  expect(first.startsWith('"night ""1"", a.fits",2026-01-17T21:04:00,L,yes,,cloud,3,')).toBe(true);
  expect(rejectedCsv([odd, frames[2]], verdicts)).toBe("file,why\r\nc.fits,rejected by hand\r\n");
  expect(rejectedList([odd, frames[2]], verdicts)).toBe("c.fits\n");
});

test("a first rule of a measure stands 30 % off the median", () => {
  expect(firstRule("n", frames, "fwhm")).toMatchObject({ kind: "limit", side: "below", value: 3.9 });
  expect(firstRule("n", frames, "stars")).toMatchObject({ side: "above", value: 56 });
});

test("another filter's frames are held against their own clear ones, not against the reference's light", () => {
  const of = (id: string, filter: string, light: number) => ({
    id,
    metadata: { ...NO_METADATA, filter },
    relation: { scale: 1 / light },
  });
  const red = [0.3, 0.29, 0.31, 0.15].map((light, k) => of(`r${k}`, "R", light));
  const clear = [1, 0.98, 0.6].map((light, k) => of(`l${k}`, "L", light));
  const full = fullLightOf([...clear, ...red], "l0");
  expect(clear.map(({ id }) => full.get(id))).toEqual([1, 1, 1]);
  // The 0.9 quantile of four by nearest rank is the best of them.
  for (const { id } of red) expect(full.get(id)).toBeCloseTo(0.31, 12);
  expect(fullLightOf([], null).size).toBe(0);
});

test("no cell of a CSV file begins a formula", () => {
  const csv = measuresCsv(
    [frame("=1+1", -2.5, 100, 1), frame("@SUM(A1)", 3, 80, 0.8), frame("-x", 3, 80, 0.8)],
    new Map(),
  );
  const cells = csv.split("\r\n").flatMap((row) => row.split(","));
  expect(cells.filter((cell) => /^[=+@]/.test(cell))).toEqual([]);
  expect(cells.some((cell) => cell.startsWith("'=1+1"))).toBe(true);
  expect(cells.filter((cell) => cell.startsWith("-") && Number.isNaN(Number(cell)))).toEqual([]);
  expect(cells).toContain("-2.5");
});
