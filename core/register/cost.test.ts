import { createRandom } from "../numeric/random";
import { rasterOf } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { resample, resamplingCost, shiftBy } from "./index";

const kernels = wasmKernels();

test("bilinear: a Gaussian star's variance rises by 1/6 px², σ falls to 2/3, neighbours share a quarter (integrals of a triangle, by hand)", () => {
  const { widening, noise, shared } = resamplingCost("bilinear", 4);
  // The sum of a Gaussian and a triangle is nearly a Gaussian where the first is that much wider.
  expect(Math.abs(4 * widening - Math.sqrt(16 + (8 * Math.LN2) / 6))).toBeLessThan(0.01);
  expect(noise).toBeCloseTo(2 / 3, 4);
  expect(shared).toBeCloseTo(1 / 4, 4);
});

test("nearest: a square of one pixel, noise as it was and shared with none", () => {
  const { widening, noise, shared } = resamplingCost("nearest", 4);
  expect(Math.abs(4 * widening - Math.sqrt(16 + (8 * Math.LN2) / 12))).toBeLessThan(0.01);
  expect([noise, shared]).toEqual([1, 0]);
});

// Ours are normalised to a sum of 1 at each place, which makes up to 0.005. Convolutions of the kernels' published shapes on a grid of 0.001 px, by numpy: FWHM over 3 px (± its step), ∫ h², ∫ h(x) h(x + 1) / ∫ h².
test.each([
  ["bilinear", 1.051, 0.66667, 0.25],
  ["bicubic", 1.01633, 0.81429, 0.1557],
  ["lanczos3", 0.99967, 0.88842, 0.1119],
  ["lanczos4", 1.001, 0.91632, 0.0856],
] as const)("%s: as numpy convolves a star of 3 px", (kernel, wide, variance, correlation) => {
  const { widening, noise, shared } = resamplingCost(kernel, 3);
  expect(Math.abs(widening - wide)).toBeLessThan(0.0015);
  expect(Math.abs(noise - variance)).toBeLessThan(0.006);
  expect(Math.abs(shared - correlation)).toBeLessThan(0.006);
});

test("a width that is not positive is refused", () => {
  expect(() => resamplingCost("bicubic", 0)).toThrow(RangeError);
});

test.each(["bilinear", "bicubic", "lanczos3", "lanczos4"] as const)(
  "%s: white noise, moved by many parts of a pixel, comes out as told",
  (kernel) => {
    const random = createRandom(4);
    const side = 96;
    const noise = rasterOf(side, side, [Float32Array.from({ length: side * side }, () => 100 + random.normal())]);
    const inner = { x: 8, y: 8, width: 80, height: 80 };
    const { noise: gain, shared } = resamplingCost(kernel, 3);
    let [sum, product, count] = [0, 0, 0];
    for (let k = 0; k < 36; k++) {
      const warp = shiftBy(((k % 6) + 0.5) / 6, (Math.floor(k / 6) + 0.5) / 6);
      const out = resample(noise, { x: 0, y: 0 }, warp, inner, { kernel, kernels }).planes[0].map((v) => v - 100);
      for (let p = 0; p + 1 < out.length; p++)
        [sum, product, count] = [sum + out[p] ** 2, product + out[p] * out[p + 1], count + 1];
    }
    // 6,400 pixels of one noise field: σ to 1 %, a correlation to 0.02. Undershoot that is raised (resample) takes off a little.
    expect(Math.abs(Math.sqrt(sum / count) / gain - 1)).toBeLessThan(0.035);
    expect(Math.abs(product / sum - shared)).toBeLessThan(0.03);
  },
);
