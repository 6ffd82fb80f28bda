import { createRandom } from "../numeric/random";
import { randomStars } from "../testing/fixtures";
import { mapPoint, inverse, matchStars, matrixAt, rotationAbout } from "./index";
import type { PatternStar, Warp } from "./index";

/** Regressions and rules of registration that came from looking at real failures. */
const reference: PatternStar[] = randomStars(70, 800, 600, 21).map((star) => ({ ...star, snr: 300 * star.flux }));

const distance = (found: Warp, truth: Warp) =>
  Math.max(
    ...[
      [0, 0],
      [799, 0],
      [0, 599],
      [799, 599],
    ].map(([x, y]) => {
      const p = mapPoint(found, x, y);
      const q = mapPoint(truth, x, y);
      return Math.hypot(p[0] - q[0], p[1] - q[1]);
    }),
  );

test("bright blends whose centroids move with the seeing do not lead the transform astray", () => {
  const truth = rotationAbout(0.004, 400, 300, 6, -4);
  const back = inverse(truth);
  const random = createRandom(4);
  const sub = reference.map((star, i) => {
    const [x, y] = mapPoint(back, star.x, star.y);
    // Every ninth star is a bright blend, half a pixel off, all in the same corner's direction.
    const blend = i % 9 === 0 ? 0.5 : 0;
    return {
      ...star,
      snr: blend ? 2000 : star.snr,
      x: x + blend + 0.02 * random.normal(),
      y: y - blend + 0.02 * random.normal(),
    };
  });
  const result = matchStars(
    sub,
    reference.map((star, i) => (i % 9 === 0 ? { ...star, snr: 2000 } : star)),
  );
  if (!result.ok) throw new Error(result.reason.detail);
  expect(distance(result.value.warp, truth)).toBeLessThan(0.05);
});

test("saturated stars count little: their places may be far off", () => {
  const truth = rotationAbout(-0.01, 400, 300, -9, 12);
  const back = inverse(truth);
  const sub = reference.map((star, i) => {
    const [x, y] = mapPoint(back, star.x, star.y);
    const saturated = i % 5 === 0;
    return { ...star, saturated, snr: saturated ? 5000 : star.snr, x: x + (saturated ? 0.3 : 0), y };
  });
  const result = matchStars(sub, reference);
  if (!result.ok) throw new Error(result.reason.detail);
  expect(distance(result.value.warp, truth)).toBeLessThan(0.05);
});

test("the same stars give the same transform every time", () => {
  const sub = reference.map((star) => ({ ...star, x: star.x + 3.25, y: star.y - 1.5 }));
  const [first, second] = [matchStars(sub, reference), matchStars(sub, reference)];
  expect(first).toEqual(second);
  expect(first.ok && matrixAt(first.value.warp, 0, 0)[2]).toBeCloseTo(-3.25, 3);
});

test("the order of the stars does not matter", () => {
  const sub = reference.map((star) => ({ ...star, x: star.x + 11, y: star.y + 7 }));
  const shuffled = [...sub].sort((a, b) => a.x - b.x);
  const [a, b] = [matchStars(sub, reference), matchStars(shuffled, reference)];
  if (!a.ok || !b.ok) throw new Error("no match");
  expect(distance(a.value.warp, b.value.warp)).toBeLessThan(0.01);
});

test("twelve stars are enough, and pure noise is refused whatever its number", () => {
  const few = reference.slice(0, 12);
  const found = matchStars(
    few.map((star) => ({ ...star, x: star.x - 40 })),
    few,
  );
  expect(found.ok).toBe(true);
  for (let seed = 1; seed <= 6; seed++) {
    const random = createRandom(seed);
    const noise = Array.from({ length: 60 }, () => ({
      x: 800 * random.uniform(),
      y: 600 * random.uniform(),
      flux: random.uniform(),
      snr: 50,
    }));
    expect(matchStars(noise, reference).ok).toBe(false);
  }
});
