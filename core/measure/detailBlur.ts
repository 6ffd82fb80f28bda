import type { Psf } from "../kernels";
import { roundPsf } from "./psf";

/** Frequencies to each side at which energies are summed. */
const GRID = 64;
/** The wings of the blur that is looked for. */
const BETA = 3.5;
/** Widths that are looked for, in px. */
const [LEAST_FWHM, MOST_FWHM] = [1, 9];
/** Scales that show the blur, and how many of the finest may be lost in noise. */
const [TOLD_BY, LOST] = [4, 1];
/**
 * Slopes that pictures have: of surfaces full of craters, and of discs, belts and edges; what the
 * coarsest two scales show of it is this share of it, since the picture ends.
 */
const [LEAST_SLOPE, MOST_SLOPE, TOLD] = [2, 3, 0.9];

/**
 * Sums over frequencies f of a picture whose energy falls as f^−slope: at each, the filter of each starlet scale (products of cos⁴ π 2^i f along the axes), what a round PSF leaves, and the energy.
 */
export function overBands(
  { size, values }: Psf,
  slope: number,
  scales: number,
  add: (scale: number, filter: number, transfer: number, energy: number) => void,
): void {
  const radius = (size - 1) / 2;
  const smooth = (f: number, scales: number) =>
    Array.from({ length: scales }, (_, i) => Math.cos(Math.PI * 2 ** i * f) ** 4).reduce((a, b) => a * b, 1);
  const along = Array.from({ length: GRID + 1 }, (_, u) =>
    Array.from({ length: scales + 1 }, (_s, j) => smooth((0.5 * u) / GRID, j)),
  );
  const waves = Array.from({ length: GRID + 1 }, (_, u) =>
    Float64Array.from({ length: size }, (_v, x) => Math.cos((Math.PI * u * (x - radius)) / GRID)),
  );
  // A round PSF is even along both axes: rows first, then what comes of them.
  const across = waves.map((wave) =>
    Float64Array.from({ length: size }, (_, y) => wave.reduce((sum, w, x) => sum + w * values[y * size + x], 0)),
  );
  for (let v = 0; v <= GRID; v++)
    for (let u = v === 0 ? 1 : 0; u <= GRID; u++) {
      const transfer = across[u].reduce((sum, w, y) => sum + w * waves[v][y], 0);
      // Each stands for those mirrored at the axes too.
      const times = (u > 0 ? 2 : 1) * (v > 0 ? 2 : 1);
      const energy = times * Math.hypot((0.5 * u) / GRID, (0.5 * v) / GRID) ** -slope;
      for (let j = 0; j < scales; j++)
        add(j, Math.abs(along[u][j] * along[v][j] - along[u][j + 1] * along[v][j + 1]), transfer, energy);
    }
}

/**
 * FWHM of the blur of a picture without stars, from the energies (mean squares) of its starlet coefficients at the scales 1, 2 … 32 px, noise taken off, and those of the noise: that which gives a picture whose energy falls as f^−slope the same course over the four finest
 * scales that stand above the noise. The slope is 3 for one bright object on a dark sky, whose
 * coarsest scales show its size instead; else what the two coarsest show, 2 … 3. Between 1 (no
 * blur) and 9 px; null where noise hides more than the finest scale.
 * Source: own; the law after Field 1987, JOSA A 4, 2379 (natural scenes).
 */
export function blurOfEnergies(
  energies: readonly number[],
  noise: readonly number[],
  isOneObject = false,
): number | null {
  const first = energies.findIndex((e, j) => e > noise[j] && e > 0);
  const last = energies.length - 1;
  if (first < 0 || first > LOST || energies.slice(first).some((e) => !(e > 0))) return null;
  const coarse = 2 + Math.log2(energies[last] / energies[last - 1]) / TOLD;
  const slope = isOneObject ? MOST_SLOPE : Math.min(MOST_SLOPE, Math.max(LEAST_SLOPE, coarse));
  const end = first + TOLD_BY;
  const away = (fwhmPx: number) => {
    const law = new Float64Array(end);
    overBands(roundPsf(fwhmPx, BETA), slope, end, (j, filter, transfer, energy) => {
      law[j] += (filter * transfer) ** 2 * energy;
    });
    const logs = Array.from(law.subarray(first), (e, k) => Math.log(energies[first + k] / e));
    const mean = logs.reduce((a, b) => a + b, 0) / logs.length;
    return logs.reduce((sum, v) => sum + (v - mean) ** 2, 0);
  };
  return narrowed(away, LEAST_FWHM, MOST_FWHM);
}

/** Where a function with one valley is least, by golden sections to .02. */
function narrowed(f: (x: number) => number, low: number, high: number): number {
  const golden = (Math.sqrt(5) - 1) / 2;
  let [a, b] = [low, high];
  let [x, y] = [b - golden * (b - a), a + golden * (b - a)];
  let [fx, fy] = [f(x), f(y)];
  while (b - a > 0.02)
    if (fx < fy) {
      [b, y, fy] = [y, x, fx];
      x = b - golden * (b - a);
      fx = f(x);
    } else {
      [a, x, fx] = [x, y, fy];
      y = a + golden * (b - a);
      fy = f(y);
    }
  return (a + b) / 2;
}
