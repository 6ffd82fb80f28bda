import * as z from "zod";

/** A named place in the picture: centre in pixel coordinates of the project's first stack. */
export const spot = z.object({ id: z.string(), name: z.string().min(1).max(60), x: z.number(), y: z.number() });
export type Spot = z.infer<typeof spot>;

/** What a cell of the picture holds, for choosing spots. */
export interface CellFacts {
  x: number;
  y: number;
  /** Median level. */
  level: number;
  /** Spread of the levels between the small parts of the cell: structure larger than stars. */
  structure: number;
  /** Spread of means of 4 px: what is small and stands out. */
  detail: number;
  stars: number;
}

export interface SpotProposal {
  name: string;
  x: number;
  y: number;
}

/**
 * Three telling places: the darkest quiet background, the strongest structure, and the group with most stars, or the most small detail where there are none; none twice,
 * none within 12 % of the picture's width of another, and none within `margin` px of the border where that leaves a choice.
 * Fewer where the picture has fewer cells.
 */
export function proposeSpots(
  cells: CellFacts[],
  width: number,
  height: number,
  hasStars = true,
  margin = 110,
): SpotProposal[] {
  const chosen: SpotProposal[] = [];
  const inner = cells.filter(({ x, y }) => x > margin && y > margin && x < width - margin && y < height - margin);
  const candidates = inner.length >= 9 ? inner : cells;
  const far = (cell: CellFacts) =>
    chosen.every((other) => Math.hypot(other.x - cell.x, other.y - cell.y) > 0.12 * width);
  const take = (name: string, score: (cell: CellFacts) => number) => {
    const best = candidates
      .filter(far)
      .reduce<CellFacts | null>((a, b) => (a === null || score(b) > score(a) ? b : a), null);
    if (best) chosen.push({ name, x: best.x, y: best.y });
  };
  if (hasStars) take("Star group", (cell) => cell.stars);
  else take("Small detail", (cell) => cell.detail);
  take("Structure", (cell) => cell.structure);
  take("Dark background", (cell) => -cell.level - 2 * cell.structure);
  return chosen.reverse();
}
