import { fc } from "../testing/properties";
import { NO_METADATA } from "../formats";
import { SIXTEEN_BITS } from "../testing/fixtures";
import { measuresCsv } from "./csv";
import type { GradedFrame } from "./measures";
import { MEASURES } from "./measures";
import type { Decision, Rule } from "./rules";
import { applyRules, firstRule, RULE_MEASURES, ruleSentence } from "./rules";
import { nightOf, setsOf, tellingKeys } from "./sets";

/** What holds for any frames, rules and hands. */
const anyFrame = (id: string): fc.Arbitrary<GradedFrame> =>
  fc
    .record({
      fwhm: fc.option(fc.double({ min: 1, max: 9, noNaN: true })),
      stars: fc.integer({ min: 0, max: 900 }),
      weight: fc.option(fc.integer({ min: 0, max: 1000 }).map((n) => n / 1000)),
      filter: fc.constantFrom("L", "Ha", null),
      exposureS: fc.constantFrom(60, 120, null),
      name: fc.string(),
    })
    .map(({ fwhm, stars, weight, filter, exposureS, name }) => ({
      id,
      name,
      order: 0,
      width: 100,
      height: 80,
      unit: SIXTEEN_BITS,
      metadata: { ...NO_METADATA, filter, exposureS },
      pixelScale: null,
      measures: {
        stars,
        fwhmPx: fwhm,
        eccentricity: null,
        elongationAngle: null,
        elongationAgreement: null,
        background: [0.01],
        gradient: [{ level: 0.01, dx: 0, dy: 0 }],
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
      relation: null,
      fullLight: 1,
      weight,
      patchDifference: null,
    }));
const frames = fc
  .integer({ min: 1, max: 30 })
  .chain((n) => fc.tuple(...Array.from({ length: n }, (_, i) => anyFrame(`f${i}`))));
const rule: fc.Arbitrary<Rule> = fc.oneof(
  fc.record({
    id: fc.uuid(),
    on: fc.boolean(),
    kind: fc.constant("limit" as const),
    measure: fc.constantFrom("fwhm" as const, "stars" as const, "weight" as const),
    side: fc.constantFrom("below" as const, "above" as const),
    value: fc.double({ min: 0, max: 900, noNaN: true }),
  }),
  fc.record({
    id: fc.uuid(),
    on: fc.boolean(),
    kind: fc.constantFrom("best" as const, "ofBest" as const),
    measure: fc.constantFrom("fwhm" as const, "stars" as const, "weight" as const),
    percent: fc.integer({ min: 1, max: 100 }),
  }),
);
const hand: fc.Arbitrary<Decision> = fc.constantFrom("keep" as const, "reject" as const, null);

test("hands win over rules; every frame that is out says why and none that is in does", () => {
  fc.assert(
    fc.property(
      frames,
      fc.array(rule, { maxLength: 4 }),
      fc.array(hand, { minLength: 30, maxLength: 30 }),
      (given, rules, hands) => {
        const decisions = new Map(given.map(({ id }, i) => [id, hands[i]]));
        const verdicts = applyRules(given, decisions, rules);
        expect(verdicts.size).toBe(given.length);
        for (const { id } of given) {
          const { included, reasons } = verdicts.get(id) ?? { included: false, reasons: [] };
          expect(reasons.length === 0).toBe(included);
          if (decisions.get(id) === "keep") expect(included).toBe(true);
          if (decisions.get(id) === "reject") expect(reasons).toContain("rejected by hand");
        }
      },
    ),
  );
});

test("rules that are off change nothing; one more rule never takes a frame in", () => {
  fc.assert(
    fc.property(frames, fc.array(rule, { maxLength: 3 }), rule, (given, rules, more) => {
      const without = applyRules(
        given,
        new Map(),
        rules.filter(({ on }) => on),
      );
      expect(applyRules(given, new Map(), rules)).toEqual(without);
      if (rules.some(({ kind }) => kind === "best")) return; // the best n % of what is left may be other frames
      const stricter = applyRules(given, new Map(), [...rules, more]);
      for (const [id, { included }] of stricter) if (included) expect(without.get(id)?.included).toBe(true);
    }),
  );
});

test("the best n % leaves n % of the known, rounded up, and the better ones", () => {
  fc.assert(
    fc.property(frames, fc.integer({ min: 1, max: 100 }), (given, percent) => {
      const verdicts = applyRules(given, new Map(), [{ id: "r", on: true, kind: "best", measure: "weight", percent }]);
      const known = given.filter(({ weight }) => weight !== null);
      const kept = known.filter(({ id }) => verdicts.get(id)?.included);
      expect(kept.length).toBe(Math.ceil((known.length * percent) / 100));
      const least = Math.min(...kept.map(({ weight }) => weight ?? 0));
      for (const { id, weight } of known)
        if (!verdicts.get(id)?.included) expect(weight ?? 0).toBeLessThanOrEqual(least);
      for (const { id, weight } of given) if (weight === null) expect(verdicts.get(id)?.included).toBe(true);
    }),
  );
});

test("sets part the frames: each is in one, integration times add up", () => {
  fc.assert(
    fc.property(frames, (given) => {
      const sets = setsOf(given, tellingKeys(given));
      expect(sets.flatMap((set) => set.frames.map(({ id }) => id)).sort()).toEqual(given.map(({ id }) => id).sort());
      const total = given.reduce((sum, { metadata }) => sum + (metadata.exposureS ?? 0), 0);
      expect(sets.reduce((sum, set) => sum + set.integrationS, 0)).toBe(total);
      for (const set of sets) expect(new Set(set.frames.map(({ metadata }) => metadata.filter)).size).toBe(1);
    }),
  );
});

test("a night runs from noon to noon UTC, over months and leap days", () => {
  expect(nightOf("2026-01-17T21:00:00")).toBe("2026-01-17");
  expect(nightOf("2026-01-18T04:00:00")).toBe("2026-01-17");
  expect(nightOf("2026-01-18T12:00:00")).toBe("2026-01-18");
  expect(nightOf("2028-03-01T01:00:00")).toBe("2028-02-29");
  expect([nightOf(null), nightOf("some day")]).toEqual([null, null]);
});

test("the first rule of every measure keeps most frames and says so in a sentence", () => {
  const given = fc.sample(frames, { seed: 5, numRuns: 1 })[0];
  for (const { id, label } of RULE_MEASURES) {
    const first = firstRule("r", given, id);
    expect(ruleSentence(first)).toContain(label);
    const kept = [...applyRules(given, new Map(), [first]).values()].filter(({ included }) => included).length;
    expect(kept).toBeGreaterThanOrEqual(given.length / 3);
  }
});

/** A reader of CSV written from RFC 4180, apart from the writer. */
function parseCsv(text: string): string[][] {
  const rows: string[][] = [[]];
  let field = "";
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (quoted) {
      if (c === '"' && text[i + 1] === '"') field += text[++i];
      else if (c === '"') quoted = false;
      else field += c;
    } else if (c === '"') quoted = true;
    else if (c === ",") (rows[rows.length - 1].push(field), (field = ""));
    else if (c === "\r" && text[i + 1] === "\n") (i++, rows[rows.length - 1].push(field), (field = ""), rows.push([]));
    else field += c;
  }
  return rows.slice(0, -1);
}

test("CSV comes back as it went, whatever the names are", () => {
  fc.assert(
    fc.property(frames, (given) => {
      const rows = parseCsv(measuresCsv(given, applyRules(given, new Map(), [])));
      expect(rows.length).toBe(given.length + 1);
      // What would begin a formula has an apostrophe before it.
      const shown = (name: string) => (/^[=+\-@\t\r]/.test(name) ? `'${name}` : name);
      expect(rows.slice(1).map(([name]) => name)).toEqual(given.map(({ name }) => shown(name)));
      const at = rows[0].indexOf("FWHM (px)");
      expect(at).toBeGreaterThan(0);
      given.forEach(({ measures }, i) =>
        measures.fwhmPx === null
          ? expect(rows[i + 1][at]).toBe("")
          : expect(Number(rows[i + 1][at]) / measures.fwhmPx).toBeCloseTo(1, 5),
      );
      for (const row of rows) expect(row.length).toBe(rows[0].length);
    }),
  );
  expect(new Set(MEASURES.map(({ id }) => id)).size).toBe(MEASURES.length);
});
