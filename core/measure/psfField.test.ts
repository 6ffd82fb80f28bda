import { createRandom } from "../numeric/random";
import type { PlacedWidths } from "./psfField";
import { fitPsfField, shapeAt, shapeOfWidths, widthsOf } from "./psfField";

const SIDE = 1000;

/** Stars whose widths are `true` at their places, measured to a share. */
function starsOf(
  count: number,
  seed: number,
  error: number,
  shape: (x: number, y: number) => { fwhmMajor: number; fwhmMinor: number; angle: number },
): PlacedWidths[] {
  const random = createRandom(seed);
  return Array.from({ length: count }, () => {
    const [x, y] = [SIDE * random.uniform(), SIDE * random.uniform()];
    const of = shape(x, y);
    const [major, minor] = [of.fwhmMajor, of.fwhmMinor].map((v) => v * (1 + error * random.normal()));
    return { x, y, widths: widthsOf({ fwhmMajor: major, fwhmMinor: minor, angle: of.angle }) };
  });
}

/** Stars that are drawn out from the middle outwards, more with the square of the distance. */
const coma = (x: number, y: number) => {
  const [dx, dy] = [x - SIDE / 2, y - SIDE / 2];
  const far = (dx * dx + dy * dy) / (2 * (SIDE / 2) ** 2);
  return { fwhmMajor: 3 * (1 + 0.6 * far), fwhmMinor: 3 * (1 + 0.1 * far), angle: Math.atan2(dy, dx) };
};

test("widths as a matrix keep size and turn", () => {
  const shape = { fwhmMajor: 4, fwhmMinor: 2.5, angle: 0.7, beta: 3 };
  const back = shapeOfWidths(widthsOf(shape), 3);
  expect(back.fwhmMajor).toBeCloseTo(4, 9);
  expect(back.fwhmMinor).toBeCloseTo(2.5, 9);
  expect(back.angle).toBeCloseTo(0.7, 9);
});

test("a field that bends outwards is found, within 2 % of the width anywhere; of a tilt it takes the first degree", () => {
  const field = fitPsfField(starsOf(90, 3, 0.02, coma));
  if (!field) throw new Error("no field");
  expect(field.degree).toBe(2);
  for (const [x, y] of [
    [500, 500],
    [120, 150],
    [900, 500],
    [880, 870],
  ]) {
    const [found, right] = [shapeAt(field, 3, x, y), coma(x, y)];
    expect(Math.abs(found.fwhmMajor / right.fwhmMajor - 1)).toBeLessThan(0.025);
    expect(Math.abs(found.fwhmMinor / right.fwhmMinor - 1)).toBeLessThan(0.025);
  }
  const corner = shapeAt(field, 3, 900, 900);
  expect(Math.abs(corner.angle - Math.PI / 4)).toBeLessThan(0.06);
  expect(field.tilePx).toBeLessThan(384);
  const tilt = (x: number) => ({ fwhmMajor: 2.8 + (0.8 * x) / SIDE, fwhmMinor: 2.8 + (0.8 * x) / SIDE, angle: 0 });
  const tilted = fitPsfField(starsOf(60, 5, 0.02, tilt));
  expect(tilted?.degree).toBe(1);
  expect(
    Math.abs(Math.sqrt(shapeAt(tilted!, 3, 0, 500).fwhmMajor * shapeAt(tilted!, 3, 0, 500).fwhmMinor) - 2.8),
  ).toBeLessThan(0.05);
  // Beyond the stars it goes on, but not for ever.
  expect(shapeAt(tilted!, 3, 1e6, 500).fwhmMajor).toBeLessThan(4.5);
});

test("where all stars are alike, or too few, no field is found: at most once in forty skies", () => {
  const even = () => ({ fwhmMajor: 3.2, fwhmMinor: 3, angle: 0.4 });
  const found = Array.from({ length: 40 }, (_, k) => fitPsfField(starsOf(30 + 2 * k, 100 + k, 0.03, even)));
  expect(found.filter((field) => field !== null).length).toBeLessThan(2);
  expect(fitPsfField(starsOf(20, 3, 0.01, coma))).toBeNull();
});

test("a few double stars among those that show it do not bend the field", () => {
  const stars = starsOf(90, 9, 0.02, coma).map((star, k) =>
    k % 15 === 0 ? { ...star, widths: widthsOf({ fwhmMajor: 7, fwhmMinor: 3, angle: k }) } : star,
  );
  const field = fitPsfField(stars);
  const [found, right] = [shapeAt(field!, 3, 850, 200), coma(850, 200)];
  expect(Math.abs(found.fwhmMajor / right.fwhmMajor - 1)).toBeLessThan(0.04);
});
