import { median, robustSpread } from "../raster";

/** Samples of each of the four places that are looked at. */
const SAMPLES = 20_000;
/** The colours of a sky differ by at least this much of σ per pixel, and its two greens by less than a third of that. */
const LEAST_CONTRAST = 0.5;
const SAME_SHARE = 1 / 3;

/**
 * Whether a plane looks like a raw colour mosaic: of the four places of its 2 × 2 cell two on a diagonal have one level (the greens) and at least
 * one of the others differs from it by half of σ. Stripes of rows or columns differ on both diagonals, and do not count.
 * False for a plane smaller than 32 px. Source: own, from the definition of the Bayer pattern (US patent 3,971,065, 1976).
 */
export function looksLikeMosaic(plane: Float32Array, width: number, height: number): boolean {
  if (width < 32 || height < 32) return false;
  const step = 2 * Math.max(1, Math.floor(Math.sqrt((width * height) / 4 / SAMPLES)));
  const places = [0, 1, 2, 3].map((place) => {
    const values: number[] = [];
    for (let y = place >> 1; y < height; y += step)
      for (let x = place & 1; x < width; x += step) values.push(plane[y * width + x]);
    return values;
  });
  const levels = places.map((values) => median(values));
  const sigma = robustSpread(places[0]).sigma;
  const tallies = [
    { green: Math.abs(levels[0] - levels[3]), other: [levels[1], levels[2]], mean: (levels[0] + levels[3]) / 2 },
    { green: Math.abs(levels[1] - levels[2]), other: [levels[0], levels[3]], mean: (levels[1] + levels[2]) / 2 },
  ];
  return tallies.some(({ green, other, mean }) => {
    const contrast = Math.max(...other.map((level) => Math.abs(level - mean)));
    return contrast > LEAST_CONTRAST * sigma && green < SAME_SHARE * contrast;
  });
}
