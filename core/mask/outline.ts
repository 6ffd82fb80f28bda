import type { Corner, MaskLook } from "./kind";
import { smoothstep } from "../numeric/smoothstep";

/** Straight pieces that stand for an ellipse. */
const PIECES = 128;

/** The ellipse of centre c whose conjugate half-diameters end at a and b: c + cos t (a − c) + sin t (b − c), as corners. */
export function ellipseCorners([[cx, cy], [ax, ay], [bx, by]]: readonly Corner[]): Corner[] {
  return Array.from({ length: PIECES }, (_, k) => {
    const t = (2 * Math.PI * k) / PIECES;
    const [cos, sin] = [Math.cos(t), Math.sin(t)];
    return [cx + cos * (ax - cx) + sin * (bx - cx), cy + cos * (ay - cy) + sin * (by - cy)];
  });
}

/**
 * 1 inside a closed outline (even-odd where it crosses itself), 0 outside, rising smoothly over `feather` px about it, half inside and half outside. Exact
 * distances to its pieces, looked at only near them. All 0 for fewer than three corners.
 */
export function insideOutline(
  corners: readonly Corner[],
  { raster: { width, height }, x: left, y: top }: Pick<MaskLook<never>, "raster" | "x" | "y">,
  feather: number,
): Float32Array {
  const out = new Float32Array(width * height);
  if (corners.length < 3) return out;
  const pieces = corners.map(([x, y], k) => {
    const [u, v] = corners[(k + 1) % corners.length];
    return { x: x - left, y: y - top, dx: u - x, dy: v - y };
  });
  for (let y = 0; y < height; y++) {
    const crossings = pieces
      .filter((piece) => piece.y > y !== piece.y + piece.dy > y)
      .map((piece) => piece.x + ((y - piece.y) / piece.dy) * piece.dx)
      .sort((a, b) => a - b);
    for (let k = 0; k + 1 < crossings.length; k += 2) {
      const to = Math.min(width - 1, Math.floor(crossings[k + 1]));
      for (let x = Math.max(0, Math.ceil(crossings[k])); x <= to; x++) out[y * width + x] = 1;
    }
  }
  const half = feather / 2;
  if (half === 0) return out;
  const nearest = new Float32Array(width * height).fill(Infinity);
  for (const { x, y, dx, dy } of pieces) {
    const length2 = dx * dx + dy * dy;
    const [x0, x1] = [Math.min(x, x + dx) - half, Math.max(x, x + dx) + half];
    const [y0, y1] = [Math.min(y, y + dy) - half, Math.max(y, y + dy) + half];
    for (let v = Math.max(0, Math.floor(y0)); v <= Math.min(height - 1, Math.ceil(y1)); v++)
      for (let u = Math.max(0, Math.floor(x0)); u <= Math.min(width - 1, Math.ceil(x1)); u++) {
        const along = length2 > 0 ? Math.max(0, Math.min(1, ((u - x) * dx + (v - y) * dy) / length2)) : 0;
        const away = (u - x - along * dx) ** 2 + (v - y - along * dy) ** 2;
        if (away < nearest[v * width + u]) nearest[v * width + u] = away;
      }
  }
  for (let i = 0; i < out.length; i++) {
    const away = Math.sqrt(nearest[i]);
    if (away < half) out[i] = smoothstep(out[i] === 1 ? away : -away, -half, half);
  }
  return out;
}
