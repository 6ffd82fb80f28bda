import { createRandom } from "../numeric/random";
import type { PatternStar, Warp } from "./index";
import { compose, describeWarp, inverse, linear, mapPoint, matchStars, rotationAbout } from "./index";

/** Fields that share stars are matched whatever lies between them, and others never. */
const [WIDTH, HEIGHT] = [1500, 1000];
function field(count: number, seed: number, share = 1): PatternStar[] {
  const random = createRandom(seed);
  return Array.from({ length: count }, () => ({
    x: share * WIDTH * random.uniform(),
    y: share * HEIGHT * random.uniform(),
    flux: random.uniform() ** -1.5,
    snr: 20 + 180 * random.uniform(),
  }));
}

/** The stars as another picture has them, each off by what its SNR makes of 3 px of FWHM. */
function seen(stars: readonly PatternStar[], through: Warp, seed: number): PatternStar[] {
  const random = createRandom(seed);
  return stars.map((star) => {
    const [x, y] = mapPoint(through, star.x, star.y);
    const error = 1.3 / star.snr;
    return { ...star, x: x + error * random.normal(), y: y + error * random.normal() };
  });
}

/** Greatest and median error of a warp against the truth over the picture, in px of the reference. */
function errorOf(found: Warp, truth: Warp): { median: number; most: number } {
  const errors: number[] = [];
  for (let y = 0; y <= HEIGHT; y += 100)
    for (let x = 0; x <= WIDTH; x += 100) {
      const [u, v] = mapPoint(inverse(truth), x, y);
      const [fx, fy] = mapPoint(found, u, v);
      errors.push(Math.hypot(fx - x, fy - y));
    }
  errors.sort((a, b) => a - b);
  return { median: errors[errors.length >> 1], most: errors[errors.length - 1] };
}

/** A lens's distortion: points move towards the middle by k r³, 6 px in the corners. */
function distort({ x, y }: { x: number; y: number }): { x: number; y: number } {
  const [dx, dy] = [(x - WIDTH / 2) / 900, (y - HEIGHT / 2) / 900];
  const shrink = 1 - 0.0067 * (dx * dx + dy * dy);
  return { x: WIDTH / 2 + 900 * dx * shrink, y: HEIGHT / 2 + 900 * dy * shrink };
}

const reference = field(300, 1);

test.each([0.25, 0.5, 1, 2, 4].flatMap((scale) => [1, -1].map((sense) => [scale, sense] as const)))(
  "a picture of %d times the scale, of sense %d, turned by 70°, is matched",
  (scale, sense) => {
    const truth = compose(rotationAbout(1.2, 700, 400, 40, -25), linear([sense * scale, 0, 3, 0, scale, -8]));
    const found = matchStars(seen(reference, inverse(truth), 2), reference, { model: "auto" });
    if (!found.ok) throw new Error(found.reason.detail);
    expect(describeWarp(found.value.warp).isMirrored).toBe(sense < 0);
    expect(errorOf(found.value.warp, truth).median).toBeLessThan(0.01 * Math.max(1, scale));
    expect(errorOf(found.value.warp, truth).most).toBeLessThan(0.05 * Math.max(1, scale));
  },
);

test("left to itself the transform stays simple for simple fields, and takes distortion up where there is some", () => {
  const turned = rotationAbout(0.3, 700, 400, 12, 5);
  for (let seed = 1; seed <= 10; seed++) {
    const simple = matchStars(seen(reference, inverse(turned), seed), reference, { model: "auto" });
    if (!simple.ok) throw new Error(simple.reason.detail);
    expect(simple.value.warp.kind).toBe("similarity");
    const bent = seen(
      reference.map((star) => ({ ...star, ...distort(star) })),
      inverse(turned),
      seed,
    );
    const free = matchStars(bent, reference, { model: "auto" });
    const stiff = matchStars(bent, reference, { model: "similarity" });
    if (!free.ok || !stiff.ok) throw new Error("no match");
    expect(free.value.warp.kind).toBe("polynomial");
    expect(free.value.residualPx).toBeLessThan(0.05);
    expect(stiff.value.residualPx).toBeGreaterThan(0.2);
    const errors = bent.map((star, i) => {
      const [x, y] = mapPoint(free.value.warp, star.x, star.y);
      return Math.hypot(x - reference[i].x, y - reference[i].y) - 1.3 / star.snr;
    });
    errors.sort((a, b) => a - b);
    expect(errors[errors.length >> 1]).toBeLessThan(0.03);
    expect(errors[errors.length - 1]).toBeLessThan(0.3);
  }
});

test("six stars are enough, and lines of hot pixels and half of the stars missing do not hinder", () => {
  const turned = rotationAbout(2.8, 700, 400, -30, 9);
  const six = reference.slice(0, 6);
  const found = matchStars(seen(six, inverse(turned), 3), six, { model: "auto" });
  if (!found.ok) throw new Error(found.reason.detail);
  expect(errorOf(found.value.warp, turned).median).toBeLessThan(0.1);
  const hot = Array.from({ length: 150 }, (_, k) => ({ x: 10 * k, y: 300 + 2 * k, flux: 4, snr: 40 }));
  const half = seen(reference, inverse(turned), 4).filter((_, i) => i % 2 === 0);
  const among = matchStars([...half, ...hot], reference, { model: "auto" });
  if (!among.ok) throw new Error(among.reason.detail);
  expect(errorOf(among.value.warp, turned).most).toBeLessThan(0.05);
});

test("no false match in a thousand pairs of unrelated fields, from six stars to a thousand", () => {
  const counts = [6, 7, 8, 10, 15, 30, 60, 150, 400, 1000];
  const others = [6, 8, 60, 200, 1000];
  const found: string[] = [];
  for (let k = 0; k < 1000; k++) {
    const [n, m] = [counts[k % 10], others[Math.floor(k / 10) % 5]];
    // Small pictures are dense, and chance has it easier there.
    const share = k % 2 === 0 ? 1 : 0.25;
    if (matchStars(field(n, 10_000 + k, share), field(m, 50_000 + k, share), { model: "auto" }).ok)
      found.push(`${n} stars against ${m}, pair ${k}`);
  }
  expect(found).toEqual([]);
});
