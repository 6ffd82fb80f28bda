import { createRandom } from "../numeric/random";
import { fc } from "../testing/properties";
import { kernelBytes } from "../testing/kernelBytes";
import { createPlainKernels, createWasmKernels } from "./index";

const [plain, wasm] = [createPlainKernels(), createWasmKernels(kernelBytes())];

/** Any floats, ties and both zeros among them, and gaps. */
const anyValues = fc.array(fc.oneof(fc.float(), fc.constantFrom(NaN, 0, -0, 1, 1, 2)), { maxLength: 70 });
const finiteOnly = (values: number[]) => Float32Array.from(values.filter((v) => Math.abs(v) < 1e18 || v !== v));

/** −0 counts as 0. */
const same = (a: number, b: number) => a === b || (a !== a && b !== b);

test("median and spread are those of selection, to the last digit, for any values", () => {
  fc.assert(
    fc.property(anyValues, (values) => {
      const given = finiteOnly(values);
      const [a, b] = [plain.robustSpread(given), wasm.robustSpread(given)];
      return same(a.centre, b.centre) && same(a.sigma, b.sigma) && a.count === b.count;
    }),
  );
});

test("quantiles are those of sorted values", () => {
  fc.assert(
    fc.property(anyValues, fc.double({ min: 0, max: 1, noNaN: true }), (values, share) => {
      const sorted = Float32Array.from(values.filter((v) => v === v)).sort();
      const expected = sorted.length > 0 ? sorted[Math.round(share * (sorted.length - 1))] : NaN;
      return [plain, wasm].every((kernels) => same(kernels.quantiles(Float32Array.from(values), [share])[0], expected));
    }),
  );
});

test("the clipped mean keeps the same values; their sums run in another order", () => {
  const random = createRandom(3);
  for (const n of [1, 2, 3, 4, 5, 31, 900, 4001]) {
    const values = Float32Array.from(
      { length: n },
      () => 1000 + 3 * random.normal() + (random.uniform() < 0.04 ? 200 : 0),
    );
    for (const rounds of [0, 1, 8]) {
      const [a, b] = [plain, wasm].map((kernels) => kernels.clippedMean(values, 2.5, rounds, 800));
      expect([b.count, b.median]).toEqual([a.count, a.median]);
      expect(b.mean).toBeCloseTo(a.mean, 9);
      expect(b.sigma).toBeCloseTo(a.sigma, 9);
    }
  }
  expect(wasm.clippedMean(Float32Array.of(NaN), 3)).toEqual({ mean: NaN, median: NaN, sigma: NaN, count: 0 });
});

test("values far apart, and all alike, are measured as well", () => {
  const cases = [
    [-3e38, 3e38, 1e-40, -1e-40, 0],
    new Array<number>(17).fill(-7.25),
    [5],
    [Infinity, 1, 2, 3, -Infinity],
  ];
  for (const values of cases) {
    const given = Float32Array.from(values);
    expect(wasm.quantiles(given, [0, 0.5, 1])).toEqual(plain.quantiles(given, [0, 0.5, 1]));
  }
});
