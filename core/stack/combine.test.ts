import fc from "fast-check";
import { fixture } from "../testing/fixtures";
import { clipSorted, combineInto } from "./combine";

const output = (pixels: number) => ({
  mean: new Float32Array(pixels),
  a: new Float32Array(pixels),
  b: new Float32Array(pixels),
  kept: new Uint16Array(pixels),
});

test("the κ-sigma mean equals astropy's sigma_clip on the same cube, for three pairs of limits", () => {
  const { n, pixels, cube, cases } = fixture<{
    n: number;
    pixels: number;
    cube: number[];
    cases: { low: number; high: number; mean: number[]; kept: number[] }[];
  }>("clipping.json");
  for (const { low, high, mean, kept } of cases) {
    const out = output(pixels);
    const weights = new Array<number>(n).fill(1);
    const { samples, rejected } = combineInto(out, Float32Array.from(cube), n, pixels, weights, {
      lowSigma: low,
      highSigma: high,
      rounds: 5,
    });
    expect([...out.kept]).toEqual(kept);
    out.mean.forEach((v, p) => expect(Math.abs(v - mean[p])).toBeLessThan(2e-5));
    expect(samples).toBe(n * pixels);
    expect(rejected).toBe(n * pixels - kept.reduce((a, b) => a + b, 0));
  }
});

test("clipping sorted ends equals clipping unsorted values round by round", () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: -1e3, max: 1e3, noNaN: true }), { minLength: 2, maxLength: 25 }),
      (values) => {
        const sorted = Float64Array.from(values).sort();
        const range = { first: 0, end: 0 };
        clipSorted(sorted, sorted.length, { lowSigma: 1.5, highSigma: 2, rounds: 4 }, range);
        let kept = [...sorted];
        for (let round = 0; round < 4 && kept.length > 1; round++) {
          const median =
            kept.length % 2 ? kept[kept.length >> 1] : (kept[kept.length / 2 - 1] + kept[kept.length / 2]) / 2;
          const mean = kept.reduce((a, b) => a + b, 0) / kept.length;
          const sigma = Math.sqrt(kept.reduce((s, v) => s + (v - mean) ** 2, 0) / kept.length);
          const next = kept.filter((v) => v >= median - 1.5 * sigma && v <= median + 2 * sigma);
          if (next.length === kept.length) break;
          kept = next;
        }
        expect(range.end - range.first).toBe(kept.length);
      },
    ),
  );
});

test("weights, halves and missing data", () => {
  const cube = Float32Array.of(1, NaN, 2, NaN, 4, NaN, 8, 5); // 4 subs × 2 pixels: [1 2 4 8] and [NaN NaN NaN 5]
  const out = output(2);
  combineInto(out, cube, 4, 2, [1, 1, 2, 4], null);
  expect(out.mean[0]).toBeCloseTo((1 + 2 + 8 + 32) / 8, 6);
  expect(out.a[0]).toBeCloseTo((1 + 8) / 3, 6); // subs 0 and 2
  expect(out.b[0]).toBeCloseTo((2 + 32) / 5, 6); // subs 1 and 3
  expect(out.mean[1]).toBe(5);
  expect(out.a[1]).toBeNaN();
  expect([...out.kept]).toEqual([4, 1]);
  const none = output(1);
  combineInto(none, Float32Array.of(NaN, NaN), 2, 1, [1, 1], { lowSigma: 3, highSigma: 3, rounds: 5 });
  expect(none.mean[0]).toBeNaN();
});

test("low and high limits work on their own side", () => {
  const cube = Float32Array.of(10, 10.1, 9.9, 10, 10.1, 9.9, 10, 10, 40, -20);
  const high = output(1);
  combineInto(high, cube, 10, 1, new Array<number>(10).fill(1), { lowSigma: Infinity, highSigma: 2, rounds: 5 });
  expect(high.kept[0]).toBe(9);
  const low = output(1);
  combineInto(low, cube, 10, 1, new Array<number>(10).fill(1), { lowSigma: 2, highSigma: Infinity, rounds: 5 });
  expect(low.mean[0]).toBeGreaterThan(12);
});
