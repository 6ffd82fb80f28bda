import { z } from "zod";

/**
 * A 2 × 3 matrix [a, b, c, d, e, f] that takes pixel coordinates (x, y) to (a x + b y + c, d x + e y + f); 0-based,
 * pixel centres at integers. Example: [1, 0, 5, 0, 1, −2] moves a picture 5 px right and 2 px up.
 */
export type Transform = [number, number, number, number, number, number];

export const IDENTITY: Transform = [1, 0, 0, 0, 1, 0];

export function applyTransform(t: Transform, x: number, y: number): [number, number] {
  return [t[0] * x + t[1] * y + t[2], t[3] * x + t[4] * y + t[5]];
}

/** A transform as it is stored. */
export const transformSchema = z.tuple([z.number(), z.number(), z.number(), z.number(), z.number(), z.number()]);

/** The transform that takes back what `t` did. Throws RangeError where `t` is singular. */
export function invertTransform(t: Transform): Transform {
  const [a, b, c, d, e, f] = t;
  const determinant = a * e - b * d;
  if (!(Math.abs(determinant) > 1e-12)) throw new RangeError("a transform must not be singular");
  return [
    e / determinant,
    -b / determinant,
    (b * f - c * e) / determinant,
    -d / determinant,
    a / determinant,
    (c * d - a * f) / determinant,
  ];
}

/** First `inner`, then `outer`. */
export function composeTransforms(outer: Transform, inner: Transform): Transform {
  const [a, b, c, d, e, f] = outer;
  const [g, h, i, j, k, l] = inner;
  return [a * g + b * j, a * h + b * k, a * i + b * l + c, d * g + e * j, d * h + e * k, d * i + e * l + f];
}

/** Rotation by `angle` radians (x towards y) about (cx, cy), then a move by (dx, dy). */
export function rotationAbout(angle: number, cx: number, cy: number, dx: number, dy: number): Transform {
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  return [cos, -sin, cx - cos * cx + sin * cy + dx, sin, cos, cy - sin * cx - cos * cy + dy];
}

/** Turn of a transform in degrees and its scale, for people to read. */
export function describeTransform(t: Transform): { rotationDeg: number; scale: number } {
  return {
    rotationDeg: (Math.atan2(t[3] - t[1], t[0] + t[4]) * 180) / Math.PI,
    scale: Math.sqrt(Math.abs(t[0] * t[4] - t[1] * t[3])),
  };
}
