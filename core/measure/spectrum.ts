import type { Psf } from "../kernels";
import { fftSquareInPlace } from "../numeric/fft";

export interface Spectrum {
  re: Float64Array;
  im: Float64Array;
}

/** Of values about the middle of a square of odd side, on a grid of frequencies. */
export function spectrumOf({ size, values }: { size: number; values: ArrayLike<number> }, grid: number): Spectrum {
  const [re, im] = [new Float64Array(grid * grid), new Float64Array(grid * grid)];
  const middle = (size - 1) / 2;
  for (let k = 0; k < size * size; k++) {
    const [x, y] = [(k % size) - middle, Math.floor(k / size) - middle];
    re[((y + grid) % grid) * grid + ((x + grid) % grid)] += values[k];
  }
  fftSquareInPlace(re, im, grid, false);
  return { re, im };
}

/** The filter of a spectrum, which is overwritten: `radius` px to each side, sum 1. */
export function filterOf({ re, im }: Spectrum, grid: number, radius: number): Psf {
  fftSquareInPlace(re, im, grid, true);
  const size = 2 * radius + 1;
  const values = Float32Array.from({ length: size * size }, (_, k) => {
    const [x, y] = [(k % size) - radius, Math.floor(k / size) - radius];
    return re[((y + grid) % grid) * grid + ((x + grid) % grid)] / (grid * grid);
  });
  const sum = values.reduce((total, v) => total + v, 0);
  return { size, values: values.map((v) => v / sum) };
}

/** G P̄ over (|P|² + ε), times 1 + ε so that even light stays. */
export function ratioOf(p: Spectrum, g: Spectrum, least: number): Spectrum {
  const [re, im] = [new Float64Array(p.re.length), new Float64Array(p.re.length)];
  for (let i = 0; i < re.length; i++) {
    const by = (1 + least) / (p.re[i] ** 2 + p.im[i] ** 2 + least);
    re[i] = by * (g.re[i] * p.re[i] + g.im[i] * p.im[i]);
    im[i] = by * (g.im[i] * p.re[i] - g.re[i] * p.im[i]);
  }
  return { re, im };
}
