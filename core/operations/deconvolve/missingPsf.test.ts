import { areAlike, findStars } from "../../measure";
import { afterStep, stepOf } from "../../testing/chainOn";
import { craterField, exposed, FIELD_SIDE as SIDE } from "../../testing/fields";
import { paintStars, randomStars, wasmKernels } from "../../testing/fixtures";

const night = paintStars(SIDE, SIDE, randomStars(60, SIDE, SIDE, 5), { fwhm: 3.2, noise: 0, level: 0 }).planes[0].map(
  (v) => 300 + 4000 * v,
);
const [moon, sky] = [craterField(9), night].map((light) => exposed([light], () => 1.5, 3));

test("what is found on a picture of craters is too unlike for stars; stars are alike, also where they get longer over the picture, and one or two always", () => {
  const [found, stars] = [moon, sky].map(({ picture }) => findStars(picture.planes[0], SIDE, SIDE, wasmKernels()));
  expect(found.filter(({ fit }) => fit).length).toBeGreaterThan(5);
  expect([areAlike([found]), areAlike([stars])]).toEqual([false, true]);
  const longer = stars.map((star) => ({
    ...star,
    fit: star.fit && { ...star.fit, fwhmMajor: star.fit.fwhmMajor * (1 + star.x / SIDE) },
  }));
  expect(areAlike([longer])).toBe(true);
  expect(areAlike([found.filter(({ fit }) => fit).slice(0, 2)])).toBe(true);
});

const measured = { psf: "measured" };
const BY_STARS: [string, Record<string, unknown>][] = [
  ["richardson-lucy", { iterations: 3 }],
  ["starlet-lucy", { iterations: 3 }],
  ["inverse", {}],
  ["energy-layers", measured],
  ["stars-apart", { iterations: 3 }],
  ["round-stars", { iterations: 3 }],
];

test.each(BY_STARS)("without stars %s says so and leaves the picture as it is, to the bit", async (id, params) => {
  const { out, reason } = await afterStep(moon, stepOf(`deconvolve.${id}`, params));
  expect(reason).toContain("the picture stays as it is");
  expect(out.planes[0]).toEqual(moon.picture.planes[0]);
});

test.each(BY_STARS.slice(0, -1))("with stars %s works and says nothing", async (id, params) => {
  const { out, reason } = await afterStep(sky, stepOf(`deconvolve.${id}`, params));
  expect(reason).toBeNull();
  expect(out.planes[0]).not.toEqual(sky.picture.planes[0]);
});

test.each(BY_STARS.slice(0, 4))("%s with a typed blur asks no star", async (id, params) => {
  const { out, reason } = await afterStep(moon, stepOf(`deconvolve.${id}`, { ...params, psf: "typed", fwhmPx: 2.5 }));
  expect(reason).toBeNull();
  expect(out.planes[0]).not.toEqual(moon.picture.planes[0]);
});

test("a step that is off says nothing", async () => {
  const step = { ...stepOf("deconvolve.inverse"), on: false };
  expect((await afterStep(moon, step)).reason).toBeNull();
});
