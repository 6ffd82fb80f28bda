import { quietJob } from "../../job";
import { createRandom } from "../../numeric/random";
import { rasterOf } from "../../raster";
import { wasmKernels } from "../../testing/fixtures";
import { edgeWidth } from "./edgeWidth";
import type { Measured } from "./measure";

const job = quietJob(wasmKernels());
const SIDE = 200;

/** Error function. Source: Abramowitz & Stegun 1964, 7.1.26 (1.5e-7). */
function erf(x: number): number {
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const poly = ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t;
  return Math.sign(x) * (1 - poly * Math.exp(-x * x));
}

/** A disc of light whose edge a Gaussian of that FWHM has softened. */
function disc(fwhmPx: number, noise: number) {
  const random = createRandom(4);
  const sigma = fwhmPx / 2.35482;
  const plane = Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
    const inward = 70 - Math.hypot((i % SIDE) - 100.3, Math.floor(i / SIDE) - 99.6);
    return 0.2 + 0.3 * (0.5 + 0.5 * erf(inward / sigma / Math.SQRT2)) + noise * random.normal();
  });
  return rasterOf(SIDE, SIDE, [plane]);
}

const told = (before: ReturnType<typeof disc>, after = before, starsBefore: { x: number; y: number }[] = []) =>
  edgeWidth.valueOf({ before, after, starsBefore, fwhmPx: 3, job } as unknown as Measured);

test.each([1.5, 2, 3, 4, 6, 7])(
  "edges softened by a Gaussian of %f px are told as such within 7 %%, with and without noise",
  (fwhm) => {
    for (const noise of [0, 0.005, 0.01])
      expect(Math.abs((told(disc(fwhm, noise)) ?? NaN) / fwhm - 1)).toBeLessThan(0.07);
  },
);

test("edges are found in the stack and measured in the lane; a flat picture and the flanks of stars have none", () => {
  expect((told(disc(4, 0.005), disc(2, 0.005)) ?? NaN) / 2).toBeCloseTo(1, 1);
  const flat = rasterOf(SIDE, SIDE, [new Float32Array(SIDE * SIDE).fill(0.3)]);
  expect(told(flat)).toBeNull();
  // A star stands everywhere along the limb.
  const stars = Array.from({ length: 90 }, (_, k) => ({
    x: 100 + 70 * Math.cos((k * Math.PI) / 45),
    y: 100 + 70 * Math.sin((k * Math.PI) / 45),
  }));
  expect(told(disc(3, 0.005), undefined, stars)).toBeNull();
});
