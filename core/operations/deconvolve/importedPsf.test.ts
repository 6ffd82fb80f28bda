import { quietJob } from "../../job";
import { moffatPsf, roundPsf } from "../../measure";
import { createRandom } from "../../numeric/random";
import { importedPsf } from "../../parameters";
import { cropRaster, rasterOf } from "../../raster";
import { afterStep, stepOf } from "../../testing/chainOn";
import { blurredField, exposed, powerLawField } from "../../testing/fields";
import { paintStars, wasmKernels, worstDifference } from "../../testing/fixtures";
import { psfFromShapes, psfFromStar, fwhmOfKernel, psfOfKernel } from "./importedPsf";

const { kernels } = quietJob(wasmKernels());
const SIDE = 41;

/** A picture of one star, its middle anywhere, on a level with noise. */
function star(x: number, y: number, fwhm: number, noise = 0) {
  const { planes } = paintStars(SIDE, SIDE, [{ x, y, flux: 100 }], { fwhm, noise: 0, level: 0.2, channels: 1 });
  const random = createRandom(4);
  return rasterOf(SIDE, SIDE, [planes[0].map((v) => v + noise * random.normal())]);
}

test("the blur of a star is centred, of sum 1, without its background, and as wide as the star", () => {
  for (const [x, y] of [
    [20, 20],
    [20.4, 19.7],
    [18.5, 22.5],
  ]) {
    const kernel = psfFromStar(star(x, y, 3.4), "star.fits", kernels);
    expect(importedPsf.parse(kernel)).toEqual(kernel);
    const { side, values } = kernel;
    const middle = (side - 1) / 2;
    const total = values.reduce((a, b) => a + b, 0);
    const at = (of: (k: number) => number) => values.reduce((sum, v, k) => sum + v * of(k), 0) / total;
    expect(total).toBeCloseTo(1, 5);
    expect(Math.abs(at((k) => k % side) - middle)).toBeLessThan(0.03);
    expect(Math.abs(at((k) => Math.floor(k / side)) - middle)).toBeLessThan(0.03);
    expect(Math.abs(fwhmOfKernel(kernel) / 3.4 - 1)).toBeLessThan(0.06);
  }
});

test("noise round a star is no light of it; its wings stay where they are clear", () => {
  const clean = psfFromStar(star(20.3, 20.1, 3.4), "a", kernels);
  const noisy = psfFromStar(star(20.3, 20.1, 3.4, 0.02), "a", kernels);
  expect(noisy.side).toBe(clean.side);
  expect(worstDifference(noisy.values, clean.values)).toBeLessThan(0.03 * Math.max(...clean.values));
});

test.each([
  ["a picture that is too large", rasterOf(130, 20, [new Float32Array(2600)]), /130 × 20 px is no picture of one star/],
  ["one that is too small", rasterOf(5, 5, [new Float32Array(25)]), /no picture of one star/],
  ["an even one", rasterOf(9, 9, [new Float32Array(81).fill(3)]), /nothing stands out/],
  ["one with gaps", rasterOf(9, 9, [new Float32Array(81).fill(NaN)]), /no data/],
  ["a star at the border", cropRaster(star(20, 20, 3), { x: 20, y: 10, width: 20, height: 20 }), /lies at the border/],
])("%s is refused with its reason", (_, picture, words) => {
  expect(() => psfFromStar(picture, "p.fits", kernels)).toThrow(words);
  expect(() => psfFromStar(picture, "p.fits", kernels)).toThrow(/^p\.fits: /);
});

test("stars of another picture are seen at this one's scale, turned and mirrored as it lies", () => {
  const shape = { fwhmMajor: 3, fwhmMinor: 2, angle: 0.4, beta: 3 };
  const same = psfFromShapes([shape], { scale: 1, turn: 0, isMirrored: false }, "there");
  expect(worstDifference(psfOfKernel(same).values, moffatPsf(shape, 24).values)).toBeLessThan(1e-6);
  const twice = psfFromShapes([shape], { scale: 2, turn: 0, isMirrored: false }, "there");
  expect(Math.abs(fwhmOfKernel(twice) / fwhmOfKernel(same) - 2)).toBeLessThan(0.04);
  const { side, values } = same;
  const at = (of: readonly number[], x: number, y: number) => of[(y + (side - 1) / 2) * side + x + (side - 1) / 2];
  const quarter = psfFromShapes([shape], { scale: 1, turn: Math.PI / 2, isMirrored: false }, "there").values;
  const mirrored = psfFromShapes([shape], { scale: 1, turn: 0, isMirrored: true }, "there").values;
  for (const [x, y] of [
    [2, 1],
    [1, -3],
    [-2, 2],
  ]) {
    expect(at(quarter, -y, x)).toBeCloseTo(at(values, x, y), 6);
    expect(at(mirrored, x, -y)).toBeCloseTo(at(values, x, y), 6);
  }
});

const light = blurredField(powerLawField(2.5, 6), roundPsf(3.4, 3)).map((v) => 10 + v);
const of = exposed([light], () => 0.002, 5);
const kept = psfFromShapes(
  [{ fwhmMajor: 3.4, fwhmMinor: 3.4, angle: 0, beta: 3 }],
  { scale: 1, turn: 0, isMirrored: false },
  "B",
);

test.each(["richardson-lucy", "inverse", "starlet-lucy"])(
  "%s with a blur that was taken does as with the same typed; with none it does nothing",
  async (id) => {
    const few = id === "inverse" ? {} : { iterations: 5, hastened: false, shown: false, smoothness: 0 };
    const typed = await afterStep(of, stepOf(`deconvolve.${id}`, { ...few, psf: "typed", fwhmPx: 3.4, beta: 3 }));
    const taken = await afterStep(of, stepOf(`deconvolve.${id}`, { ...few, psf: "kept", kernel: kept }));
    expect([typed.reason, taken.reason]).toEqual([null, null]);
    const inside = { x: 50, y: 50, width: 150, height: 150 };
    const [a, b, before] = [typed.out, taken.out, of.picture].map((raster) => cropRaster(raster, inside).planes[0]);
    // The typed one is followed a little less far.
    expect(worstDifference(a, b)).toBeLessThan(0.08 * worstDifference(a, before));
    const none = await afterStep(of, stepOf(`deconvolve.${id}`, { ...few, psf: "kept" }));
    expect(none.reason).toContain("No blur was taken yet");
    expect(none.out.planes[0]).toEqual(of.picture.planes[0]);
  },
);
