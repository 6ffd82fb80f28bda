import KDBush from "kdbush";
import * as z from "zod";
import { medianInPlace } from "../raster";

/** Double images: stars that have a twin at one and the same offset. */
export const doubleImage = z.object({
  /** Share of the stars that are in such a pair. */
  share: z.number(),
  /** From the brighter of two twins to the fainter, in px. */
  dx: z.number(),
  dy: z.number(),
});
export type DoubleImage = z.infer<typeof doubleImage>;

/** The brightest stars that are looked at, and the farthest twin. */
const STARS = 300;
const REACH_PX = 80;
/** Twins lie within this of the common offset: the scatter of two centroids of faint stars. */
const TOLERANCE_PX = 1.5;
/** Spread of the twins' flux ratios in natural logarithms: the jump shares every star's light alike. */
const RATIO_SPREAD = 0.5;
const LEAST_PAIRS = 6;
const LEAST_SHARE = 0.3;

/**
 * Whether a sub shows every star twice, as a jump of the mount during the exposure makes it: pairs of stars vote for the offset from the
 * brighter to the fainter one, and the offset with most votes counts if a third of the stars are in it, more than chance could bring
 * together (as in registration: λ + 5 √λ + 4), and their flux ratios agree. Null for a single image, and below twelve stars.
 * Source: own; votes for a common offset are a generalised Hough transform, Ballard 1981, Pattern Recognition 13, 111.
 */
export function findDoubleImage(stars: readonly { x: number; y: number; flux: number }[]): DoubleImage | null {
  const bright = [...stars].sort((a, b) => b.flux - a.flux).slice(0, STARS);
  if (bright.length < 2 * LEAST_PAIRS) return null;
  const tree = new KDBush(bright.length);
  for (const { x, y } of bright) tree.add(x, y);
  tree.finish();
  const offsets: { dx: number; dy: number; ratio: number; i: number; j: number }[] = [];
  bright.forEach((star, i) => {
    for (const j of tree.within(star.x, star.y, REACH_PX))
      if (j > i)
        offsets.push({ dx: bright[j].x - star.x, dy: bright[j].y - star.y, ratio: bright[j].flux / star.flux, i, j });
  });
  if (offsets.length < LEAST_PAIRS) return null;
  const votes = new KDBush(offsets.length);
  for (const { dx, dy } of offsets) votes.add(dx, dy);
  votes.finish();
  let best: number[] = [];
  for (const { dx, dy } of offsets) {
    const near = votes.within(dx, dy, TOLERANCE_PX);
    if (near.length > best.length) best = near;
  }
  const chance = (offsets.length * TOLERANCE_PX ** 2) / REACH_PX ** 2;
  if (best.length < Math.max(LEAST_PAIRS, chance + 5 * Math.sqrt(chance) + 4)) return null;
  const share = new Set(best.flatMap((k) => [offsets[k].i, offsets[k].j])).size / bright.length;
  const ratios = Float64Array.from(best, (k) => Math.log(offsets[k].ratio));
  const middle = medianInPlace(ratios.slice());
  const spread = medianInPlace(ratios.map((ratio) => Math.abs(ratio - middle)));
  if (share < LEAST_SHARE || spread > RATIO_SPREAD) return null;
  const of = (value: (k: number) => number) => medianInPlace(Float64Array.from(best, value));
  return { share, dx: of((k) => offsets[k].dx), dy: of((k) => offsets[k].dy) };
}
