import { createRandom } from "../numeric/random";

/**
 * Smooth random fields for clouds of gas: gradient noise on a lattice of 256 random directions, about −0.7 … 0.7.
 * Source: Perlin 1985, Computer Graphics 19, 287; quintic fade after Perlin 2002.
 */
export function createNoiseField(seed: number): (x: number, y: number) => number {
  const random = createRandom(seed);
  const order = Uint8Array.from({ length: 256 }, (_, i) => i);
  for (let i = 255; i > 0; i--) {
    const j = Math.floor(random.uniform() * (i + 1));
    [order[i], order[j]] = [order[j], order[i]];
  }
  const gx = Float64Array.from({ length: 256 }, (_, i) => Math.cos((2 * Math.PI * i) / 256));
  const gy = Float64Array.from({ length: 256 }, (_, i) => Math.sin((2 * Math.PI * i) / 256));
  const fade = (t: number) => t * t * t * (t * (6 * t - 15) + 10);
  return (x, y) => {
    const ix = Math.floor(x);
    const iy = Math.floor(y);
    const fx = x - ix;
    const fy = y - iy;
    const corner = (dx: number, dy: number): number => {
      const g = order[(order[(ix + dx) & 255] + iy + dy) & 255];
      return gx[g] * (fx - dx) + gy[g] * (fy - dy);
    };
    const u = fade(fx);
    const v = fade(fy);
    const top = corner(0, 0) * (1 - u) + corner(1, 0) * u;
    const bottom = corner(0, 1) * (1 - u) + corner(1, 1) * u;
    return top * (1 - v) + bottom * v;
  };
}

/** Sum of octaves of a field, each of double frequency and `gain` times the height. */
export function octaves(field: (x: number, y: number) => number, count: number, gain = 0.5) {
  return (x: number, y: number): number => {
    let sum = 0;
    let height = 1;
    let frequency = 1;
    for (let i = 0; i < count; i++) {
      sum += height * field(x * frequency + 17.3 * i, y * frequency - 9.1 * i);
      height *= gain;
      frequency *= 2;
    }
    return sum;
  };
}

/** Octaves of ridges 1 − |noise|: the filaments where gas is compressed. Source: Musgrave 1994 (ridged multifractal). */
export function ridges(field: (x: number, y: number) => number, count: number) {
  return (x: number, y: number): number => {
    let sum = 0;
    let height = 1;
    let frequency = 1;
    let weight = 1;
    for (let i = 0; i < count; i++) {
      const ridge =
        (1 - Math.min(1, Math.abs(field(x * frequency - 5.7 * i, y * frequency + 3.9 * i)) * 2.2)) ** 2 * weight;
      sum += ridge * height;
      weight = Math.min(1, ridge * 1.6);
      height *= 0.55;
      frequency *= 2.03;
    }
    return sum;
  };
}
