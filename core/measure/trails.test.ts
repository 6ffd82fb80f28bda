import { fc } from "../testing/properties";
import { createRandom } from "../numeric/random";
import { wasmKernels } from "../testing/fixtures";
import { farFrom, trailTest } from "./trail";
import { findTrails } from "./trails";

/** Straight lines painted into noise: found where they lie, and nothing found where there is none. */
const kernels = wasmKernels();
const [WIDTH, HEIGHT] = [360, 260];

/** Noise of σ 1 with a line x cos a + y sin a = offset of this brightness and a Gaussian width of 1.2 px. */
function picture(seed: number, line: { angle: number; offset: number; peak: number } | null): Float32Array {
  const random = createRandom(seed);
  const plane = Float32Array.from({ length: WIDTH * HEIGHT }, () => 100 + random.normal());
  if (line)
    for (let y = 0, i = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++, i++) {
        const d = x * Math.cos(line.angle) + y * Math.sin(line.angle) - line.offset;
        plane[i] += line.peak * Math.exp(-(d * d) / (2 * 1.2 ** 2));
      }
  return plane;
}

const angles = fc.double({ min: 0, max: Math.PI, noNaN: true });

test("a line at any angle through the picture is found within 1° and 2 px", () => {
  fc.assert(
    fc.property(
      angles,
      fc.integer({ min: 0, max: 50 }),
      fc.double({ min: -60, max: 60, noNaN: true }),
      (angle, seed, away) => {
        // Through a point near the middle, so that the line is long.
        const offset = (WIDTH / 2) * Math.cos(angle) + (HEIGHT / 2) * Math.sin(angle) + away;
        const [found] = findTrails(picture(seed, { angle, offset, peak: 6 }), WIDTH, HEIGHT, [], 3, kernels);
        expect(found).toBeDefined();
        if (!found) return;
        // (angle, offset) and (angle + π, −offset) are one line.
        const turns = Math.round((angle - found.angle) / Math.PI);
        const sign = turns % 2 === 0 ? 1 : -1;
        expect(Math.abs(angle - found.angle - turns * Math.PI)).toBeLessThan(Math.PI / 180);
        // Offsets count from the origin, so an error of the angle shows there; what matters is the middle of the picture.
        const at = (a: number, o: number) => (WIDTH / 2) * Math.cos(a) + (HEIGHT / 2) * Math.sin(a) - o;
        expect(Math.abs(sign * at(found.angle, found.offsetPx) - at(angle, offset))).toBeLessThan(2);
        expect(found.share).toBeGreaterThan(0.4);
      },
    ),
    { numRuns: 25 },
  );
});

test("noise alone has no trail, whatever the seed", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 1e6 }), (seed) => {
      expect(findTrails(picture(seed, null), WIDTH, HEIGHT, [], 3, kernels)).toEqual([]);
    }),
    { numRuns: 15 },
  );
});

test("a line that is too faint, or that ends after a third of the way, is none", () => {
  expect(findTrails(picture(1, { angle: 0.7, offset: 200, peak: 0.3 }), WIDTH, HEIGHT, [], 3, kernels)).toEqual([]);
  const short = picture(2, null);
  for (let x = 40; x < 140; x++) for (let d = -1; d <= 1; d++) short[(100 + d) * WIDTH + x] += 8;
  expect(findTrails(short, WIDTH, HEIGHT, [], 3, kernels)).toEqual([]);
});

test("gaps do not hide a trail, nor make one", () => {
  const holed = picture(3, { angle: 1.1, offset: 250, peak: 8 });
  for (let i = 0; i < holed.length; i += 7) holed[i] = NaN;
  expect(findTrails(holed, WIDTH, HEIGHT, [], 3, kernels).length).toBeGreaterThan(0);
  const band = picture(4, null);
  for (let y = 120; y < 126; y++) band.fill(NaN, y * WIDTH, (y + 1) * WIDTH);
  expect(findTrails(band, WIDTH, HEIGHT, [], 3, kernels)).toEqual([]);
});

test("a trail of one σ is found, and a tumbling one that fades to a fifth", () => {
  const faint = { angle: 0.9, offset: 240, peak: 1 };
  // At one σ a trail lies at the edge of what can be measured: noise hides one in a few.
  const found = [5, 7, 8, 9, 10, 11].filter(
    (seed) => findTrails(picture(seed, faint), WIDTH, HEIGHT, [], 3, kernels).length > 0,
  );
  expect(found.length).toBeGreaterThanOrEqual(4);
  const bright = picture(6, { ...faint, peak: 5 });
  const dark = picture(6, { ...faint, peak: 1 });
  const tumbling = bright.map((v, i) => ((i % WIDTH) % 40 < 20 ? v : dark[i]));
  expect(findTrails(tumbling, WIDTH, HEIGHT, [], 3, kernels).length).toBeGreaterThan(0);
});

test("fifty clean pictures with a band of nebula and stars that are no trail", () => {
  for (let seed = 1; seed <= 50; seed++) {
    const random = createRandom(1000 + seed);
    const plane = picture(seed, null);
    const [angle, offset, width] = [
      Math.PI * random.uniform(),
      150 + 80 * random.uniform(),
      12 + 10 * random.uniform(),
    ];
    const stars = Array.from({ length: 40 }, () => [WIDTH * random.uniform(), HEIGHT * random.uniform()]);
    for (let y = 0, i = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++, i++) {
        const d = x * Math.cos(angle) + y * Math.sin(angle) - offset;
        plane[i] += 4 * Math.exp(-(d * d) / (2 * width * width));
      }
    for (const [sx, sy] of stars)
      for (let y = Math.max(0, Math.ceil(sy - 6)); y < Math.min(HEIGHT, sy + 6); y++)
        for (let x = Math.max(0, Math.ceil(sx - 6)); x < Math.min(WIDTH, sx + 6); x++)
          plane[y * WIDTH + x] += 40 * Math.exp(-((x - sx) ** 2 + (y - sy) ** 2) / 4);
    const known = stars.map(([x, y]) => ({ x, y, snr: 60 }));
    expect(findTrails(plane, WIDTH, HEIGHT, known, 3, kernels)).toEqual([]);
  }
});

test("place and width of a trail are measured to a pixel, in gas as well; wide ones of several streaks are taken as one; several are found", () => {
  const one = { angle: 1.9, offset: 10, peak: 5 };
  const gas = picture(11, one).map((v, i) => {
    const [x, y] = [i % WIDTH, Math.floor(i / WIDTH)];
    return v + 8 * Math.sin(x / 61 + 1) * Math.cos(y / 47);
  });
  for (const plane of [picture(11, one), gas]) {
    const [found] = findTrails(plane, WIDTH, HEIGHT, [], 3, kernels);
    expect(Math.abs(found.angle - one.angle)).toBeLessThan(0.01);
    expect(trailTest(found)(WIDTH / 2, (one.offset - (WIDTH / 2) * Math.cos(1.9)) / Math.sin(1.9))).toBe(true);
    for (const side of [found.below, found.above]) {
      expect(side).toBeGreaterThanOrEqual(4); // the Gaussian of σ 1.2 px and height 5 is under 0.12 beyond 3.3 px
      expect(side).toBeLessThanOrEqual(8);
    }
  }
  const streaks = [-15, 0, 14].map((d) => picture(12, { ...one, offset: one.offset + d, peak: 4 }));
  const [wide] = findTrails(
    streaks[0].map((v, i) => v + streaks[1][i] + streaks[2][i]),
    WIDTH,
    HEIGHT,
    [],
    3,
    kernels,
  );
  expect(wide.below + wide.above).toBeGreaterThan(34);
  expect(wide.below + wide.above).toBeLessThan(46);
  const other = picture(13, { angle: 0.4, offset: 260, peak: 5 });
  const both = findTrails(
    picture(14, one).map((v, i) => v + other[i] - 100),
    WIDTH,
    HEIGHT,
    [],
    3,
    kernels,
  );
  expect(both.map(({ angle }) => angle.toFixed(1)).sort()).toEqual(["0.4", "1.9"]);
});

test("a point's distance from a trail's light is 0 or less where it lies on it, and falls by no more than the way there", () => {
  const one = { angle: 2.1, offsetPx: -40, share: 1, below: 3, above: 7 };
  const [isOn, far] = [trailTest(one), farFrom(one)];
  let on = 0;
  for (let x = 0; x < 120; x += 0.7)
    for (let y = 0; y < 90; y += 0.7) {
      if (isOn(x, y)) on++;
      expect(far(x, y) <= 1e-9).toBe(isOn(x, y));
      expect(Math.abs(far(x + 0.7, y) - far(x, y))).toBeLessThan(0.7 + 1e-9);
    }
  expect(on).toBeGreaterThan(500);
});
