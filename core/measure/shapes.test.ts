import { createRandom } from "../numeric/random";
import { paintStars, wasmKernels } from "../testing/fixtures";
import { findStars, fitMoffat, moffatPsf } from "./index";
import { withoutGaps } from "./subMeasures";

const kernels = wasmKernels();

test.each([2, 2.6, 3.4, 4.5, 6])("FWHM %d px is measured to 3 %% over thirty stars", (fwhm) => {
  const random = createRandom(Math.round(fwhm * 10));
  const stars = Array.from({ length: 30 }, (_, k) => ({
    x: 40 + 60 * (k % 6) + random.uniform(),
    y: 40 + 60 * Math.floor(k / 6) + random.uniform(),
    flux: 0.5 + random.uniform(),
  }));
  const picture = paintStars(400, 360, stars, { fwhm, noise: 0.0002, seed: 3 });
  const widths = findStars(picture.planes[0], 400, 360, kernels)
    .flatMap((star) => (star.fit ? [Math.sqrt(star.fit.fwhmMajor * star.fit.fwhmMinor)] : []))
    .sort((a, b) => a - b);
  expect(widths.length).toBeGreaterThan(20);
  expect(Math.abs(widths[widths.length >> 1] / fwhm - 1)).toBeLessThan(0.03);
});

test("centroids scatter as photon noise allows: about FWHM / (2.35 SNR), here within twice that", () => {
  const errors: number[] = [];
  for (let seed = 1; seed <= 12; seed++) {
    const star = { x: 50.3, y: 49.6, flux: 0.12 };
    const picture = paintStars(100, 100, [star], { fwhm: 3, noise: 0.0004, seed });
    const [found] = findStars(picture.planes[0], 100, 100, kernels);
    errors.push(Math.hypot(found.x - star.x, found.y - star.y));
  }
  const psf = moffatPsf({ fwhmMajor: 3, fwhmMinor: 3, angle: 0, beta: 3.5 });
  const snr = (0.12 * Math.sqrt(psf.values.reduce((sum, v) => sum + v * v, 0))) / 0.0004;
  const expected = (3 / 2.35 / snr) * Math.SQRT2;
  const rms = Math.sqrt(errors.reduce((sum, e) => sum + e * e, 0) / errors.length);
  expect(rms).toBeLessThan(2 * expected);
  expect(rms).toBeGreaterThan(expected / 3);
});

test("close pairs are distinguished from about 1.3 FWHM on", () => {
  for (const separation of [4.5, 6, 9]) {
    const pair = [
      { x: 60, y: 60, flux: 2 },
      { x: 60 + separation, y: 60, flux: 1.4 },
    ];
    const stars = findStars(paintStars(120, 120, pair, { fwhm: 3, noise: 0.0002 }).planes[0], 120, 120, kernels);
    for (const { x, y } of pair) expect(stars.some((star) => Math.hypot(star.x - x, star.y - y) < 0.8)).toBe(true);
  }
});

test("a fit does not run away from its star to a brighter neighbour", () => {
  const away = [5, 6, 7, 8, 9, 11, 14].flatMap((apart) => {
    const stars = [
      { x: 40, y: 40, flux: 1 },
      { x: 40 + apart, y: 40, flux: 8 },
    ];
    const { planes } = paintStars(80, 80, stars, { fwhm: 3, noise: 0.0001 });
    const fit = fitMoffat(planes[0], 80, 80, 40, 40, 7, { peak: 0.1, background: 0.01, fwhm: 3 }, kernels);
    return fit ? [Math.hypot(fit.x - 40, fit.y - 40)] : [];
  });
  expect(away.length).toBeGreaterThan(2); // the farther ones are fitted; the nearest may be given up
  for (const distance of away) expect(distance).toBeLessThan(3.6);
});

test("gaps become the median of the rest, and a plane without gaps stays the same object", () => {
  const plane = Float32Array.of(1, NaN, 3, 5);
  expect([...withoutGaps(plane)]).toEqual([1, 3, 3, 5]);
  const whole = Float32Array.of(1, 2);
  expect(withoutGaps(whole)).toBe(whole);
  expect([...withoutGaps(new Float32Array(2).fill(NaN))]).toEqual([0, 0]);
});
