import { psfRatio, RATIO_RADIUS } from "./psfRatio";

/** A Gaussian of σ px in a square of this radius, sum 1. */
function gaussian(sigma: number, radius: number) {
  const size = 2 * radius + 1;
  const values = Float32Array.from({ length: size * size }, (_, k) =>
    Math.exp(-(((k % size) - radius) ** 2 + (Math.floor(k / size) - radius) ** 2) / (2 * sigma * sigma)),
  );
  const sum = values.reduce((total, v) => total + v, 0);
  return { size, values: values.map((v) => v / sum) };
}

const worst = (a: Float32Array, b: Float32Array) => a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);

test("from one Gaussian to a wider one: a Gaussian whose variance is the difference of theirs (closed form)", () => {
  const ratio = psfRatio(gaussian(1.2, 12), gaussian(2.2, 16), 1e-8);
  const expected = gaussian(Math.sqrt(2.2 ** 2 - 1.2 ** 2), RATIO_RADIUS);
  expect(ratio.size).toBe(expected.size);
  expect(worst(ratio.values, expected.values) / Math.max(...expected.values)).toBeLessThan(1e-3);
});

test("a PSF to itself leaves all as it is", () => {
  const { values, size } = psfRatio(gaussian(0.8, 8), gaussian(0.8, 8), 1e-9);
  expect(values[(size * size) >> 1]).toBeGreaterThan(0.99);
});
