import { createRandom } from "../numeric/random";
import { powerLawField, blurredField, FIELD_SIDE as SIDE } from "../testing/fields";
import { wasmKernels } from "../testing/fixtures";
import { meanAndDeviation } from "../raster";
import { roundPsf } from "./psf";
import { whiteNoise } from "./noise";
import { whiteNoiseField } from "./mixedDifferences";

const kernels = wasmKernels();
const random = createRandom(41);
const white = Float32Array.from({ length: SIDE * SIDE }, () => 0.01 * random.normal());
const sigmaOf = (plane: Float32Array | null) => plane && kernels.robustSpread(plane).sigma;

test("white noise keeps its σ, on a surface full of blurred detail too, where the finest starlet scale sees the detail", () => {
  expect(meanAndDeviation(whiteNoiseField(white, SIDE, SIDE, kernels) ?? [])).toMatchObject({
    sigma: expect.closeTo(0.01, 3),
  });
  const surface = blurredField(powerLawField(2, 5), roundPsf(2.5, 3)).map((v, i) => 0.1 * v + white[i]);
  const found = sigmaOf(whiteNoiseField(surface, SIDE, SIDE, kernels)) ?? 0;
  expect(Math.abs(found / 0.01 - 1)).toBeLessThan(0.05);
  expect(whiteNoise(surface, SIDE, SIDE, kernels)).toBeGreaterThan(1.15 * found);
});

test("of noise that is not white, of none, and of planes too small it says nothing", () => {
  const shifted = white.map((v, i) => (v + (i % SIDE ? white[i - 1] : v)) / 2);
  expect(whiteNoiseField(shifted, SIDE, SIDE, kernels)).toBeNull();
  expect(whiteNoiseField(new Float32Array(64).fill(3), 8, 8, kernels)).toBeNull();
  expect(whiteNoiseField(new Float32Array(9), 3, 3, kernels)).toBeNull();
});
