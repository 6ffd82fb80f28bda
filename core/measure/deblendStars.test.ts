import type { PointStar } from "../kernels";
import { createRandom } from "../numeric/random";
import { wasmKernels } from "../testing/fixtures";
import { deblendStars } from "./deblendStars";
import { moffatTable } from "./psf";

const kernels = wasmKernels();
const SIDE = 90;
const FWHM = 3;
const profiles = [moffatTable({ fwhmMajor: 3.1, fwhmMinor: 2.9, angle: 0.6, beta: 3 })];
const on = (plane: Float32Array) => ({ planes: [plane], width: SIDE, height: SIDE, profiles, least: [0] });
const sigmas = [new Float32Array(SIDE * SIDE).fill(1)];
const star = (x: number, y: number, height: number): PointStar => ({ x, y, heights: [height] });

/** A plane of noise 1 over a sloping level, with stars on it; what is left of it after other stars were solved in their stead; and the simplest that explains it. */
function explained(truth: readonly PointStar[], guess: readonly PointStar[], seed = 1) {
  const random = createRandom(seed);
  const seen = Float32Array.from({ length: SIDE * SIDE }, (_, i) => 50 + 0.02 * (i % SIDE) + random.normal());
  kernels.drawStars(on(seen), truth, 1);
  const left = seen.slice();
  kernels.drawStars(on(left), guess, -1);
  const start = kernels.solveStars(on(left), guess, { sigmas, rounds: 8 });
  const stars = deblendStars(on(left), start, sigmas, FWHM, kernels);
  return { seen, left, start, stars, isKnot: stars.map((of) => of.isKnot) };
}

/** A small galaxy: light of a round or drawn out bell, σ in px, as many faint stars. */
function galaxy(x: number, y: number, height: number, sigmaPx: number, ratio: number): PointStar[] {
  return Array.from({ length: 200 }, (_, k) => {
    const [r, t] = [Math.sqrt(-2 * Math.log(1 - (k + 0.5) / 200)) * sigmaPx, 2.39996 * k];
    return star(x + r * Math.cos(t), y + ratio * r * Math.sin(t), height / 200);
  });
}

test("groups that were judged stay as they are, until a star that was not comes near", () => {
  const [a, b, far] = [star(43.4, 45.1, 120), star(45.6, 46.2, 90), star(70, 20, 90)];
  const { seen, start } = explained([a, b], [star(44.5, 45.6, 200)]);
  const left = seen.slice();
  kernels.drawStars(on(left), start, -1);
  const known = start.map((of) => ({ ...of, isKnot: false }));
  const count = (stars: readonly (PointStar & { isKnot?: boolean })[]) =>
    deblendStars(on(left.slice()), stars, sigmas, FWHM, kernels).length;
  expect([count(start), count(known), count([...known, far]), count([])]).toEqual([2, 1, 2, 0]);
  // What comes near has it judged again.
  expect(count([...known, star(start[0].x + 6, start[0].y, 1)])).toBe(3);
});

describe("the simplest that explains what stars were found for", () => {
  const pair = [star(43.4, 45.1, 120), star(45.6, 46.2, 90)];

  test.each([
    ["one star", [star(44.5, 45.6, 200)]],
    [
      "three, the middle one and two on what it leaves",
      [star(44.5, 45.6, 160), star(42.3, 44.5, 30), star(46.7, 46.8, 25)],
    ],
  ])("a close pair that was found as %s becomes two, each in its place and as bright as it is", (_, guess) => {
    const { stars, isKnot } = explained(pair, guess);
    expect(isKnot).toEqual([false, false]);
    for (const { x, y, heights } of pair) {
      const nearest = stars.reduce((a, b) => (Math.hypot(a.x - x, a.y - y) < Math.hypot(b.x - x, b.y - y) ? a : b));
      expect(Math.hypot(nearest.x - x, nearest.y - y)).toBeLessThan(0.06);
      expect(Math.abs(nearest.heights[0] / heights[0] - 1)).toBeLessThan(0.04);
    }
  });

  test("three that are three stay, and so does one that is one, unsolved again", () => {
    const three = [star(40, 40, 100), star(42.9, 40.4, 80), star(41.2, 43, 90)];
    const { stars, isKnot } = explained([...three, star(70, 20, 300)], [...three, star(70.1, 20, 280)]);
    expect(isKnot).toEqual([false, false, false, false]);
    for (const of of three)
      expect(Math.min(...stars.map(({ x, y }) => Math.hypot(x - of.x, y - of.y)))).toBeLessThan(0.1);
    const [lone, alike] = [
      explained([star(70, 20, 300)], [star(70.1, 20, 280)]),
      explained([star(30, 60, 9)], [star(30, 60, 9)]),
    ];
    expect(lone.stars[0]).toEqual({ ...lone.start[0], isKnot: false });
    expect(alike.stars[0]).toEqual({ ...alike.start[0], isKnot: false });
  });

  test.each([
    ["a handful", 1.2, 0.7, [star(45, 45, 70), star(43, 44.5, 25), star(47, 45.2, 25), star(45.2, 47, 20)]],
    ["one", 1.2, 0.7, [star(45, 45, 90)]],
    ["a pair, drawn out", 1.8, 0.5, [star(43.5, 45, 60), star(46.5, 45, 60)]],
  ])("a small galaxy that was found as %s is no star", (_, sigmaPx, ratio, guess) => {
    const { isKnot } = explained(galaxy(45, 45, 250, sigmaPx, ratio), guess);
    expect(isKnot.every((knot) => knot)).toBe(true);
  });

  test("of fifty lone stars none is split or taken for a knot, of fifty pairs of .8 FWHM all are two (30 σ)", () => {
    const random = createRandom(7);
    for (let k = 0; k < 50; k++) {
      const [x, y, angle] = [45 + random.uniform(), 45 + random.uniform(), 6.28 * random.uniform()];
      const lone = explained([star(x, y, 30)], [star(x, y, 28)], 100 + k);
      expect([lone.stars.length, ...lone.isKnot]).toEqual([1, false]);
      const [dx, dy] = [0.4 * FWHM * Math.cos(angle), 0.4 * FWHM * Math.sin(angle)];
      const two = explained([star(x + dx, y + dy, 30), star(x - dx, y - dy, 18)], [star(x, y, 40)], 200 + k);
      expect([two.stars.length, ...two.isKnot]).toEqual([2, false, false]);
    }
  });

  test("what is left and the stars together are the picture as before", () => {
    const { seen, left, stars } = explained(pair, [star(44.5, 45.6, 160), star(42.3, 44.5, 30)]);
    const again = left.slice();
    kernels.drawStars(on(again), stars, 1);
    again.forEach((v, i) => expect(Math.abs(v - seen[i])).toBeLessThan(1e-3));
  });

  test("groups at the border, or over samples that say nothing, and many stars in one place, stay as they are", () => {
    const border = explained([star(2, 45, 100), star(4, 45, 80)], [star(3, 45, 160)]);
    expect(border.stars).toMatchObject(border.start);
    const untold = [sigmas[0].map((s, i) => (Math.abs((i % SIDE) - 45) < 3 ? 1e6 * s : s))];
    const heap = Array.from({ length: 9 }, () => star(45, 45, 20));
    expect(deblendStars(on(new Float32Array(SIDE * SIDE)), heap, untold, FWHM, kernels)).toMatchObject(heap);
  });
});
