import { createRandom } from "../numeric/random";
import { shapesOf } from "./psfShape";

/** Fits of stars of a width with a spread, as a share of it, all over a picture. */
function stars(count: number, fwhm: number, spread: number, seed: number) {
  const random = createRandom(seed);
  return Array.from({ length: count }, () => {
    const own = fwhm * Math.exp(spread * random.normal());
    const [x, y] = [1000 * random.uniform(), 1000 * random.uniform()];
    const fit = { x, y, peak: 1, background: 0, fwhmMajor: own, fwhmMinor: 0.95 * own, angle: 0, beta: 3 };
    return { x, y, fit };
  });
}

test("each channel has the PSF that its own stars show, where they agree", () => {
  const shapes = shapesOf([stars(40, 3, 0.02, 1), stars(6, 3.6, 0.02, 2)]);
  expect(shapes.map((shape) => shape?.stars)).toEqual([40, 6]);
  expect(shapes[0]?.fwhmMajor).toBeCloseTo(3, 1);
  expect(Math.abs((shapes[1]?.fwhmMajor ?? NaN) / 3.6 - 1)).toBeLessThan(0.03);
});

test("a channel of a few stars that are unlike each other takes the PSF of the surest; one of too few has none", () => {
  const shapes = shapesOf([stars(3, 3, 0.02, 3), stars(40, 3, 0.05, 4), stars(5, 6, 0.3, 5)]);
  expect(shapes[0]).toBeNull();
  expect(shapes[2]).toBe(shapes[1]);
  expect(shapes[1]?.stars).toBe(40);
});

test("where no channel's stars are alike, or enough, there is no PSF", () => {
  expect(shapesOf([stars(8, 5, 0.5, 6), stars(2, 3, 0.01, 7)])).toEqual([null, null]);
  expect(shapesOf([[]])).toEqual([null]);
});
