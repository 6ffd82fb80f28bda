import { createRandom } from "../numeric/random";
import { wasmKernels } from "../testing/fixtures";
import { bandCovariance, gaussianCorrelation, inverseFilters, roundPsf } from "./index";

const kernels = wasmKernels();

test("where nothing is to be taken back, noise has in each scale what the sum over its lags shows", () => {
  const noise = gaussianCorrelation(0.6);
  const psf = roundPsf(2.5, 3, 9);
  const [{ filter, left, taken }] = inverseFilters(psf, psf, [1e-9], 20, [...noise], 4);
  expect(filter.values[20 * 41 + 20]).toBeCloseTo(1, 3);
  left.forEach((v, j) => expect(Math.abs(v / bandCovariance(noise, j, 0)[0] - 1)).toBeLessThan(0.01));
  expect(taken).toEqual([0, 0, 0, 0]);
});

test("noise that each filter leaves, and what it takes of the one before, as measured on noise that went through them; the picture comes back as its target shows it", () => {
  const side = 512;
  const random = createRandom(3);
  const [psf, shown] = [roundPsf(3, 3, 12), roundPsf(2, 3, 12)];
  const white = Float32Array.from({ length: side * side }, () => random.normal());
  const found = inverseFilters(psf, shown, [1e-3, 3e-2], 20, [...gaussianCorrelation(0)], 4);
  const through = found.map(({ filter }) => kernels.convolve(white, side, side, filter));
  const variances = (plane: Float32Array) => {
    let current = plane;
    return [0, 1, 2, 3].map((j) => {
      const smooth = kernels.starletSmooth(current, side, side, j);
      const inner = current
        .map((v, i) => v - smooth[i])
        .filter((_, i) => i % side > 60 && i % side < side - 60 && i > 60 * side && i < (side - 60) * side);
      current = smooth;
      return inner.reduce((sum, v) => sum + v * v, 0) / inner.length;
    });
  };
  const apart = through[1].map((v, i) => v - through[0][i]);
  for (const [told, plane] of [
    [found[0].left, through[0]],
    [found[1].left, through[1]],
    [found[1].taken, apart],
  ] as const)
    variances(plane).forEach((v, j) => expect([j, Math.abs(v / told[j] - 1) < 0.07]).toEqual([j, true]));
  const back = kernels.convolve(
    kernels.convolve(white, side, side, psf),
    side,
    side,
    inverseFilters(psf, shown, [1e-7], 30, [...gaussianCorrelation(0)], 1)[0].filter,
  );
  const wanted = kernels.convolve(white, side, side, shown);
  const miss = Math.max(
    ...back
      .map((v, i) => Math.abs(v - wanted[i]))
      .filter((_, i) => i % side > 80 && i % side < 120 && i > 80 * side && i < 120 * side),
  );
  expect(miss).toBeLessThan(0.03);
});
