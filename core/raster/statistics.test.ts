import { fc } from "../testing/properties";
import { createRandom } from "../numeric/random";
import { fixture } from "../testing/fixtures";
import {
  clippedMean,
  finiteSample,
  meanAndDeviation,
  median,
  quantile,
  robustSpread,
  selectInPlace,
  SIGMA_PER_MAD,
} from "./statistics";

test("σ per MAD is 1 / Φ⁻¹(3/4) (derivation: the normal integral up to it is 3/4)", () => {
  const z = 1 / SIGMA_PER_MAD;
  let integral = 0;
  const n = 20_000;
  for (let i = 0; i < n; i++) integral += Math.exp(-((((i + 0.5) * z) / n) ** 2) / 2);
  expect(0.5 + (integral * z) / n / Math.sqrt(2 * Math.PI)).toBeCloseTo(0.75, 9);
});

test("selection equals sorting, for any values and any rank", () => {
  fc.assert(
    fc.property(fc.array(fc.float({ noNaN: true }), { minLength: 1, maxLength: 60 }), fc.nat(), (values, rank) => {
      const k = rank % values.length;
      const sorted = Float32Array.from(values).sort();
      expect(selectInPlace(Float32Array.from(values), k) === sorted[k]).toBe(true); // −0 counts as 0
    }),
  );
});

test("median: odd, even, one value, NaN left out, none", () => {
  expect(median([3, 1, 2])).toBe(2);
  expect(median([4, 1, 2, 3])).toBe(2.5);
  expect(median([7])).toBe(7);
  expect(median([NaN, 5, NaN, 1, 3])).toBe(3);
  expect(median([NaN])).toBeNaN();
});

test("quantile takes the nearest rank", () => {
  const values = Float32Array.from({ length: 101 }, (_, i) => 100 - i);
  expect(quantile(values, 0)).toBe(0);
  expect(quantile(values, 0.25)).toBe(25);
  expect(quantile(values, 1)).toBe(100);
});

test("robust σ equals astropy's mad_std and forgives outliers", () => {
  const { cube, pixels, mad_std } = fixture<{ cube: number[]; pixels: number; mad_std: number }>("clipping.json");
  expect(robustSpread(cube.slice(0, pixels)).sigma).toBeCloseTo(mad_std, 4);
  const random = createRandom(5);
  const values = Float32Array.from({ length: 20_000 }, (_, i) => (i % 10 === 0 ? 1000 : 10 + 2 * random.normal()));
  expect(robustSpread(values).sigma).toBeGreaterThan(1.9);
  expect(robustSpread(values).sigma).toBeLessThan(2.6);
  expect(robustSpread([]).sigma).toBeNaN();
  expect(robustSpread([4])).toEqual({ centre: 4, sigma: 0, count: 1 });
});

test("the clipped mean leaves outliers out and ends", () => {
  const values = [...Array.from({ length: 50 }, (_, i) => 10 + (i % 5) * 0.1), 500, -300];
  const { mean, count, median: centre } = clippedMean(values, 3);
  expect(count).toBe(50);
  expect(mean).toBeCloseTo(10.2, 6);
  expect(centre).toBeCloseTo(10.2, 6);
  expect(clippedMean([], 3)).toEqual({ mean: NaN, median: NaN, sigma: NaN, count: 0 });
});

test("sampling keeps to its limit and never changes the input", () => {
  const values = Float32Array.from({ length: 1000 }, (_, i) => (i % 7 === 0 ? NaN : i));
  const sample = finiteSample(values, 100);
  expect(sample.length).toBeLessThanOrEqual(100);
  expect(sample.some((v) => v !== v)).toBe(false);
  sample.fill(0);
  expect(values[1]).toBe(1);
});

test("mean and population deviation of the first values", () => {
  expect(meanAndDeviation([2, 4, 4, 4, 5, 5, 7, 9])).toEqual({ mean: 5, sigma: 2 }); // textbook example
  expect(meanAndDeviation([1, 3, 100], 2)).toEqual({ mean: 2, sigma: 1 });
});
