import type { Raster } from "../raster";
import { rasterOf } from "../raster";

/** Brightness, red against blue, green against both: an orthonormal turn of three channels, so that unit noise stays unit noise. */
const TURN = [
  [1 / Math.sqrt(3), 1 / Math.sqrt(3), 1 / Math.sqrt(3)],
  [Math.SQRT1_2, 0, -Math.SQRT1_2],
  [1 / Math.sqrt(6), -2 / Math.sqrt(6), 1 / Math.sqrt(6)],
];

/** Three channels as brightness and two differences, which share little; any other number of channels as they are. */
export function componentsOf({ planes }: Raster): Float32Array[] {
  return planes.length === 3 ? TURN.map((shares) => mixed(planes, shares)) : planes;
}

/** What share of each channel the first of them, brightness, has. */
export const shareInBrightness = (channels: number): readonly number[] => (channels === 3 ? TURN[0] : [1]);

/** The raster whose components these are. */
export function fromComponents(components: Float32Array[], width: number, height: number): Raster {
  if (components.length !== 3) return rasterOf(width, height, components);
  const planes = [0, 1, 2].map((c) =>
    mixed(
      components,
      TURN.map((shares) => shares[c]),
    ),
  );
  return rasterOf(width, height, planes);
}

function mixed([p, q, r]: Float32Array[], [ofP, ofQ, ofR]: number[]): Float32Array {
  const out = new Float32Array(p.length);
  for (let i = 0; i < out.length; i++) out[i] = ofP * p[i] + ofQ * q[i] + ofR * r[i];
  return out;
}
