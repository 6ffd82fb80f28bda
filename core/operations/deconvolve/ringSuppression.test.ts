import { quietJob } from "../../job";
import { roundPsf } from "../../measure";
import { paintStars, wasmKernels } from "../../testing/fixtures";
import { suppressRings } from "./ringSuppression";
import { restored, shownBy } from "./lucy";

const job = quietJob(wasmKernels());
const [SIDE, FWHM, SKY] = [96, 3, 100];
const model = { zero: SKY, a: 1, b: 0, c: 0, falling: null };
const stars = [
  { x: 40, y: 48, flux: 60_000 },
  { x: 75, y: 48, flux: 800 },
];
const { planes } = paintStars(SIDE, SIDE, stars, { fwhm: FWHM, noise: 0, level: SKY });
// Wings that are not quite the stars' own, as any measured PSF has them.
const [psf, target] = [roundPsf(FWHM, 3.2, 10), roundPsf(1.8, 3.2, 8)];
const settings = {
  psf,
  iterations: 20,
  smoothness: 0,
  zero: SKY,
  sigma: 1,
  floor: 1e-3,
  smoothings: 0,
  isHastened: true,
};
const found = restored(planes[0], SIDE, SIDE, settings, job);
const plain = shownBy(found, target, job);
const beside = suppressRings(planes[0], found, { psf, target, fwhm: FWHM }, model, job);

/** How high a ring stands over the sky, σ: the most beyond 2.5 FWHM of the bright star, to the right of it. */
const ring = (plane: Float32Array): number =>
  Math.max(...Array.from({ length: 7 }, (_, k) => plane[stars[0].y * SIDE + stars[0].x + 8 + k])) - SKY;

test("a bright ring round a bright star is less than half as high; the star itself, and a faint one far from it, are as sharp as before", () => {
  expect(ring(plain)).toBeGreaterThan(0.8);
  expect(ring(beside)).toBeLessThan(0.5 * ring(plain));
  for (const { x, y } of stars) expect(Math.abs(beside[y * SIDE + x] / plain[y * SIDE + x] - 1)).toBeLessThan(2e-3);
});

test("without anything bright it is what the target shows, to the last bit", () => {
  const faint = paintStars(SIDE, SIDE, [stars[1]], { fwhm: FWHM, noise: 0, level: SKY }).planes[0];
  const of = restored(faint, SIDE, SIDE, settings, job);
  const noisy = { ...model, a: 100 };
  expect(suppressRings(faint, of, { psf, target, fwhm: FWHM }, noisy, job)).toEqual(shownBy(of, target, job));
});

test("where there is no noise to tell brightness by, nothing is done", () => {
  const still = { ...model, a: 0 };
  expect(suppressRings(planes[0], found, { psf, target, fwhm: FWHM }, still, job)).toEqual(plain);
});
