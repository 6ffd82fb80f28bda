import type { Kernels } from "../kernels";
import { compose, describeWarp, enlargedBy, inverse, mapPoint, placesOf } from "../register";
import type { StackPlan } from "../stack";
import { drizzledSize } from "./drizzle";

/** How evenly the drops of a plan's subs fall. */
export interface DitherFacts {
  /** Standard deviation of the area that falls on a pixel, over its mean. */
  spread: number;
  /** Share of pixels on which less than a third of the mean falls. */
  thin: number;
}

/** Places along each axis at which patches are looked at, and their side in pixels of the drizzled stack. */
const PLACES = 5;
const PATCH = 24;
/** Beyond these the stack will show its grid. */
const MOST_SPREAD = 0.25;
const MOST_THIN = 0.02;

/**
 * How evenly drops will fall, by letting them fall on 25 patches of the stack: every pixel, or where `lattice` is 2 every second one of every second row, as the reds of a
 * mosaic lie. Trails and outliers are not known yet.
 */
export function ditherFacts(
  plan: StackPlan,
  scale: number,
  drop: number,
  kernels: Kernels,
  lattice: 1 | 2 = 1,
): DitherFacts {
  const size = drizzledSize(plan, scale);
  const areas: number[] = [];
  for (let k = 0; k < PLACES * PLACES; k++) {
    const [u, v] = [(k % PLACES) + 0.5, Math.floor(k / PLACES) + 0.5].map((at) => at / PLACES);
    const side = Math.min(PATCH, size.width, size.height);
    const x = Math.round(u * (size.width - side));
    const y = Math.round(v * (size.height - side));
    const pixels = side * side;
    const sums = {
      columns: side,
      rows: side,
      light: new Float32Array(pixels),
      area: new Float32Array(pixels),
    };
    for (const { toReference } of plan.used) {
      const toOut = compose(enlargedBy(scale), toReference);
      const [px, py] = mapPoint(inverse(toOut), x + side / 2, y + side / 2);
      // The frame is taken to go on beyond its borders: what counts is how its pixels lie.
      const reach = Math.ceil(side / scale) + 4;
      const own = { x: Math.round(px) - reach, y: Math.round(py) - reach, width: 2 * reach, height: 2 * reach };
      const drops = new Float32Array(own.width * own.height);
      if (lattice === 2)
        for (let i = 0; i < drops.length; i++)
          if ((own.x + (i % own.width)) % 2 !== 0 || (own.y + Math.floor(i / own.width)) % 2 !== 0) drops[i] = NaN;
      const { scale: ownScale } = describeWarp(toReference, px, py);
      kernels.drizzle(drops, placesOf(toOut, x, y, own), drop * scale * ownScale, 1, sums);
    }
    areas.push(...sums.area);
  }
  const mean = areas.reduce((sum, area) => sum + area, 0) / areas.length;
  const variance = areas.reduce((sum, area) => sum + (area - mean) ** 2, 0) / areas.length;
  return { spread: Math.sqrt(variance) / mean, thin: areas.filter((area) => area < mean / 3).length / areas.length };
}

/** What to say of uneven drops; null where they fall evenly enough. */
export function ditherWarning({ spread, thin }: DitherFacts, subs: number, lattice: 1 | 2): string | null {
  if (spread <= MOST_SPREAD && thin <= MOST_THIN) return null;
  const percent = (share: number) => `${Math.round(100 * share)} %`;
  const what = lattice === 2 ? "of the reds" : "of drops";
  return `drizzle: the light ${what} on a pixel varies by ${percent(spread)} (up to ${percent(MOST_SPREAD)} is even enough), and ${percent(thin)} of the pixels get less than a third of the mean: ${subs} subs with this dither are too few for this scale and drop`;
}
