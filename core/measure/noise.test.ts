import type { Random } from "../numeric/random";
import { createRandom } from "../numeric/random";
import { meanAndDeviation } from "../raster";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import { noiseCorrelation, pixelNoise } from "./noise";

/** Correlated noise in empty and crowded fields, against the deviation of the noise that was put in. */
const kernels = wasmKernels();

/** Noise of σ 1 smoothed along both axes by the same taps. */
function smoothed(random: Random, width: number, height: number, taps: number[]): Float32Array {
  const reach = taps.length >> 1;
  const across = (from: Float32Array, dx: number, dy: number) =>
    from.map((_, i) =>
      taps.reduce((sum, tap, k) => {
        const x = Math.min(width - 1, Math.max(0, (i % width) + dx * (k - reach)));
        const y = Math.min(height - 1, Math.max(0, Math.floor(i / width) + dy * (k - reach)));
        return sum + tap * from[y * width + x];
      }, 0),
    );
  const white = Float32Array.from({ length: width * height }, () => random.normal());
  return across(across(white, 1, 0), 0, 1);
}

const gauss = (sigma: number) => {
  const taps = Array.from({ length: 9 }, (_, k) => Math.exp(-((k - 4) ** 2) / (2 * sigma ** 2)));
  return taps.map((tap) => tap / taps.reduce((a, b) => a + b));
};

test.each([
  ["white noise", [1], 60],
  ["white noise", [1], 700],
  ["a mean of two pixels", [0.5, 0.5, 0], 200],
  ["a mean by 1 2 1", [0.25, 0.5, 0.25], 200],
  ["smoothed by a Gaussian of 0.5 px", gauss(0.5), 60],
  ["smoothed by a Gaussian of 0.8 px", gauss(0.8), 200],
])("%s: σ within 6 %%, among stars too", (_, taps, count) => {
  const [width, height] = [600, 400];
  const noise = smoothed(createRandom(3), width, height, taps).map((v) => 0.0004 * v);
  const sky = paintStars(width, height, randomStars(count, width, height, 4), { noise: 0, level: 0.011 }).planes[0];
  const { sigma, correlation } = pixelNoise(
    sky.map((v, i) => v + noise[i]),
    width,
    height,
    kernels,
  );
  expect(Math.abs(sigma / meanAndDeviation(noise).sigma - 1)).toBeLessThan(0.06);
  if (taps.length === 1) expect(correlation).toBe(1);
});

test("no noise, or a picture too small to tell, has no correlation", () => {
  expect(pixelNoise(new Float32Array(90_000).fill(3), 300, 300, kernels)).toEqual({ sigma: 0, correlation: null });
  const small = Float32Array.from({ length: 900 }, createRandom(2).normal);
  expect(noiseCorrelation(small, 30, 30, kernels)).toBeNull();
});

test.each([
  ["half of it", (x: number) => x < 300],
  ["a corner", (x: number, y: number) => x + y < 250],
  ["nearly all of it", (x: number) => x > 60],
])("where there are no data nothing is told: %s is missing", (_, isGap) => {
  const [width, height] = [600, 400];
  const noise = smoothed(createRandom(3), width, height, gauss(0.8)).map((v) => 0.0004 * v);
  const plane = paintStars(width, height, randomStars(100, width, height, 4), { noise: 0, level: 0.011 }).planes[0];
  plane.forEach((v, i) => (plane[i] = isGap(i % width, Math.floor(i / width)) ? NaN : v + noise[i]));
  const { sigma, correlation } = pixelNoise(plane, width, height, kernels);
  const whole = meanAndDeviation(noise).sigma;
  expect(sigma / whole).toBeGreaterThan(0.94);
  expect(sigma / whole).toBeLessThan(1.06);
  expect(correlation).toBeGreaterThan(1.2);
});

test("a plane without data has no noise", () => {
  expect(pixelNoise(new Float32Array(3600).fill(NaN), 60, 60, kernels)).toEqual({ sigma: 0, correlation: null });
});
