import type { Psf } from "../kernels";

/** Frequencies to each side at which energies are summed. */
const GRID = 64;

/**
 * Sums over frequencies f of a picture whose energy falls as f^−slope: at each, the filter of each
 * starlet scale (products of cos⁴ π 2^i f along the axes), what a round PSF leaves, and the
 * energy.
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
