import { createRandom } from "../numeric/random";
import { findDoubleImage } from "./doubles";
import { looksLikeMosaic } from "./mosaic";

/** A field of stars that shine with very different light, as real ones do. */
function field(seed: number, count: number) {
  const random = createRandom(seed);
  return Array.from({ length: count }, () => ({
    x: 800 * random.uniform(),
    y: 600 * random.uniform(),
    flux: 1 / random.uniform() ** 1.5,
  }));
}

describe("double images", () => {
  test.each([
    [6, -3, 0.9],
    [-25, 14, 0.4],
    [60, 30, 0.7],
  ])("a jump by %d, %d px: the share, and the offset to the fainter image", (dx, dy, part) => {
    const random = createRandom(9);
    const stars = field(1, 120);
    const twins = stars.map(({ x, y, flux }) => ({
      x: x + dx + 0.3 * random.normal(),
      y: y + dy + 0.3 * random.normal(),
      flux: part * flux,
    }));
    const found = findDoubleImage([...stars, ...twins]);
    expect(found?.share).toBeGreaterThan(0.9);
    expect(Math.abs((found?.dx ?? NaN) - dx)).toBeLessThan(0.3);
    expect(Math.abs((found?.dy ?? NaN) - dy)).toBeLessThan(0.3);
  });

  test("forty fields of single stars, sparse and crowded, show none; nor do too few stars", () => {
    for (let seed = 1; seed <= 40; seed++) expect(findDoubleImage(field(seed, 20 + 20 * seed))).toBeNull();
    expect(findDoubleImage(field(1, 5))).toBeNull();
    expect(findDoubleImage([])).toBeNull();
  });

  test("a cluster of close stars is not a double image", () => {
    const random = createRandom(4);
    const cluster = field(3, 80).map((star) => ({
      ...star,
      x: 400 + 30 * random.normal(),
      y: 300 + 30 * random.normal(),
    }));
    expect(findDoubleImage([...field(5, 60), ...cluster])).toBeNull();
  });
});

describe("raw mosaics", () => {
  const [width, height] = [240, 200];
  const plane = (level: (x: number, y: number) => number) => {
    const random = createRandom(2);
    return Float32Array.from(
      { length: width * height },
      (_, i) => level(i % width, Math.floor(i / width)) + 5 * random.normal(),
    );
  };
  test.each([
    ["RGGB", [80, 100, 100, 60]],
    ["BGGR", [60, 100, 100, 80]],
    ["GRBG", [100, 80, 60, 100]],
  ])("%s is told by its levels", (_, levels) => {
    const mosaic = plane((x, y) => levels[(y & 1) * 2 + (x & 1)]);
    expect(looksLikeMosaic(mosaic, width, height)).toBe(true);
  });
  test("a grey sky, one with a gradient, odd rows or columns that are off, and a tiny picture are none", () => {
    expect(
      looksLikeMosaic(
        plane(() => 100),
        width,
        height,
      ),
    ).toBe(false);
    expect(
      looksLikeMosaic(
        plane((x, y) => 100 + 0.5 * x + y),
        width,
        height,
      ),
    ).toBe(false);
    expect(
      looksLikeMosaic(
        plane((x) => 100 + 20 * (x & 1)),
        width,
        height,
      ),
    ).toBe(false);
    expect(
      looksLikeMosaic(
        plane((_, y) => 100 + 20 * (y & 1)),
        width,
        height,
      ),
    ).toBe(false);
    expect(looksLikeMosaic(new Float32Array(100).fill(1), 10, 10)).toBe(false);
  });
});
