import { medianInPlace } from "../raster";

/** Pixels between two radii about a pixel. */
export interface Ring {
  dx: Int32Array;
  dy: Int32Array;
  values: Float32Array;
}

/** The pixels from r0 to r1 px away. */
export function ringBetween(r0: number, r1: number): Ring {
  const reach = Math.ceil(r1);
  const side = 2 * reach + 1;
  const places = Array.from({ length: side * side }, (_, k) => [(k % side) - reach, Math.floor(k / side) - reach]);
  const inside = places.filter(([dx, dy]) => Math.hypot(dx, dy) >= r0 && Math.hypot(dx, dy) <= r1);
  const [dx, dy] = [0, 1].map((axis) => Int32Array.from(inside, (place) => place[axis]));
  return { dx, dy, values: new Float32Array(inside.length) };
}

/** Median of a picture on a ring about a pixel; 0 where all of it lies outside. */
export function ringMedian(
  clean: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  ring: Ring,
): number {
  const { dx, dy, values } = ring;
  let n = 0;
  for (let k = 0; k < dx.length; k++) {
    const sx = x + dx[k];
    const sy = y + dy[k];
    if (sx >= 0 && sy >= 0 && sx < width && sy < height) values[n++] = clean[sy * width + sx];
  }
  return n > 0 ? medianInPlace(values, n) : 0;
}
