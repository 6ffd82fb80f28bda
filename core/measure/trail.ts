import * as z from "zod";

/** A straight trail: the line x cos(angle) + y sin(angle) = offset in pixel coordinates of the sub. */
export const trail = z.object({
  /** Direction of the line's normal in radians, from x towards y, 0 … π. */
  angle: z.number(),
  offsetPx: z.number(),
  /** Share of the line inside the picture that is bright by itself. */
  share: z.number(),
  /** How far its light reaches to either side of the line, against the normal and along it, margin included. */
  below: z.number().default(4),
  above: z.number().default(4),
});
export type Trail = z.infer<typeof trail>;

/** Tells of many points whether they lie on a trail. */
export function trailTest({ angle, offsetPx, below, above }: Trail): (x: number, y: number) => boolean {
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return (x, y) => {
    const d = x * cos + y * sin - offsetPx;
    return d >= -below && d <= above;
  };
}

/** How far points lie from a trail's light at least; 0 or less on it. */
export function farFrom({ angle, offsetPx, below, above }: Trail): (x: number, y: number) => number {
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const [middle, half] = [offsetPx + (above - below) / 2, (above + below) / 2];
  return (x, y) => Math.abs(x * cos + y * sin - middle) - half;
}

/** All trails that were found in a sub. */
export const trailsOf = ({ trail, otherTrails }: { trail: Trail | null; otherTrails: Trail[] }): Trail[] =>
  trail ? [trail, ...otherTrails] : [];

/** A line by two points. */
export interface Line {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/** The part of a line inside w × h pixels; null where it lies outside. */
export function chordOf(w: number, h: number, { x0, y0, x1, y1 }: Line): Line | null {
  let low = -Infinity;
  let high = Infinity;
  for (const [start, slope, size] of [
    [x0, x1 - x0, w - 1],
    [y0, y1 - y0, h - 1],
  ]) {
    if (Math.abs(slope) < 1e-9) {
      if (start < 0 || start > size) return null;
      continue;
    }
    const [a, b] = [-start / slope, (size - start) / slope];
    low = Math.max(low, Math.min(a, b));
    high = Math.min(high, Math.max(a, b));
  }
  if (!(high > low)) return null;
  const at = (t: number) => [x0 + t * (x1 - x0), y0 + t * (y1 - y0)];
  const [[ax, ay], [bx, by]] = [at(low), at(high)];
  return { x0: ax, y0: ay, x1: bx, y1: by };
}
