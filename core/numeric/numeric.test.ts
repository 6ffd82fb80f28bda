import { boxMeans } from "./boxMeans";
import { createRandom } from "./random";
import { levenbergMarquardt, solveSymmetric } from "./leastSquares";
import type { Rising } from "./tabulated";
import { tabulated } from "./tabulated";

test("the same seed gives the same numbers, another seed others", () => {
  const draw = (seed: number) => Array.from({ length: 5 }, createRandom(seed).uniform);
  expect(draw(3)).toEqual(draw(3));
  expect(draw(3)).not.toEqual(draw(4));
});

test("normal numbers have the moments of the normal distribution", () => {
  const random = createRandom(11);
  const n = 200_000;
  let sum = 0;
  let squares = 0;
  let fourths = 0;
  for (let i = 0; i < n; i++) {
    const v = random.normal();
    sum += v;
    squares += v * v;
    fourths += v ** 4;
  }
  expect(Math.abs(sum / n)).toBeLessThan(0.01);
  expect(squares / n).toBeCloseTo(1, 1);
  expect(fourths / n).toBeGreaterThan(2.9); // kurtosis 3
  expect(fourths / n).toBeLessThan(3.1);
});

test.each([0.3, 4, 29, 31, 400])("Poisson numbers of mean %d have that mean and variance", (mean) => {
  const random = createRandom(7);
  const n = 60_000;
  const values = Array.from({ length: n }, () => random.poisson(mean));
  const average = values.reduce((a, b) => a + b, 0) / n;
  const variance = values.reduce((s, v) => s + (v - average) ** 2, 0) / n;
  expect(Math.abs(average - mean)).toBeLessThan(5 * Math.sqrt(mean / n));
  expect(variance / mean).toBeGreaterThan(0.96);
  expect(variance / mean).toBeLessThan(1.04);
  expect(random.poisson(0)).toBe(0);
});

test("Cholesky solves a worked example and refuses what is not positive definite", () => {
  // 4x + 2y = 10, 2x + 5y = 13 has the solution (1.5, 2)
  const x = solveSymmetric(Float64Array.of(4, 2, 2, 5), Float64Array.of(10, 13));
  expect(x?.[0]).toBeCloseTo(1.5, 12);
  expect(x?.[1]).toBeCloseTo(2, 12);
  expect(solveSymmetric(Float64Array.of(1, 2, 2, 1), Float64Array.of(1, 1))).toBeNull();
});

test("Levenberg–Marquardt finds the parameters of an exponential, and stops where a step may not go", () => {
  const truth = [3, 0.7];
  const data = Float64Array.from({ length: 30 }, (_, i) => truth[0] * Math.exp(-truth[1] * i * 0.2));
  const model = (p: Float64Array, i: number, gradient: Float64Array) => {
    const e = Math.exp(-p[1] * i * 0.2);
    gradient[0] = e;
    gradient[1] = -p[0] * i * 0.2 * e;
    return p[0] * e;
  };
  const fit = levenbergMarquardt(data, Float64Array.of(1, 0.1), model, () => true);
  expect(fit.converged).toBe(true);
  expect(fit.parameters[0]).toBeCloseTo(3, 6);
  expect(fit.parameters[1]).toBeCloseTo(0.7, 6);
  const bounded = levenbergMarquardt(data, Float64Array.of(1, 0.1), model, (p) => p[1] < 0.5);
  expect(bounded.parameters[1]).toBeLessThan(0.5);
});

describe("tabulated", () => {
  // ∫ dx/√(1 + x) and its inverse, and an exponential; below `least` both are lines to single precision.
  const root: Rising = {
    value: (x) => (2 * x) / (1 + Math.sqrt(1 + x)),
    slope: (x) => 1 / Math.sqrt(1 + x),
    least: 1e-7,
    lowSlope: 1,
  };
  const log: Rising = { value: Math.log1p, slope: (x) => 1 / (1 + x), least: 1e-7, lowSlope: 1 };

  test.each([
    ["a root", root],
    ["a logarithm", log],
  ])(
    "%s is as the function says to single precision, from the line at its start to what lies beyond the table",
    (_, f) => {
      const values = Float32Array.from({ length: 4000 }, (_v, k) => 10 ** (-12 + k / 160));
      const made = tabulated(f)(values, 0, 0);
      values.forEach((x, k) => expect(Math.abs(made[k] / f.value(x) - 1)).toBeLessThan(1.5e-7));
    },
  );

  test("values are counted from `less` and given from `more` on; what lies below is a line, beyond the table is the function, NaN stays", () => {
    const values = Float32Array.from([3, 2, 1.5, -1000, NaN, 1e30]);
    const made = tabulated(root)(values, 2, 10);
    expect([...made]).toEqual([Math.fround(10 + 2 * (Math.SQRT2 - 1)), 10, 9.5, -992, NaN, Math.fround(2e15)]);
    expect(values[0]).toBe(3);
  });

  test("an inverse takes back what the function made", () => {
    const squared: Rising = { value: (z) => (1 + z / 2) ** 2 - 1, slope: (z) => 1 + z / 2, least: 1e-7, lowSlope: 1 };
    const values = Float32Array.from({ length: 2000 }, (_v, k) => 0.001 * 1.01 ** k);
    const back = tabulated(squared)(tabulated(root)(values, 0, 0), 0, 0);
    values.forEach((x, k) => expect(Math.abs(back[k] / x - 1)).toBeLessThan(1e-6));
  });
});

test.each([
  [23, 17, 3],
  [5, 40, 9],
  [31, 4, 6],
])("means over squares on %d × %d, reach %d, are their definition, of what lies inside", (width, height, r) => {
  const { normal } = createRandom(5);
  const plane = Float32Array.from({ length: width * height }, () => 1e4 + normal());
  const means = boxMeans(plane, width, height, r);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [sum, count] = [0, 0];
      for (let v = Math.max(0, y - r); v <= Math.min(height - 1, y + r); v++)
        for (let u = Math.max(0, x - r); u <= Math.min(width - 1, x + r); u++) {
          sum += plane[v * width + u];
          count++;
        }
      expect(means[y * width + x]).toBeCloseTo(sum / count, 8);
    }
});
