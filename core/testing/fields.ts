import { fftSquareInPlace } from "../numeric/fft";
import type { Psf } from "../kernels";
import { createRandom } from "../numeric/random";
import { rasterOf } from "../raster";

/** Side of the fields, in px. */
export const FIELD_SIDE = 256;

/** A smooth random field (Gaussian, σ px) of variance 1. */
export function smoothField(sigmaPx: number, seed: number): Float32Array {
  const random = createRandom(seed);
  const [re, im] = [new Float64Array(FIELD_SIDE * FIELD_SIDE), new Float64Array(FIELD_SIDE * FIELD_SIDE)];
  for (let i = 0; i < re.length; i++) re[i] = random.normal();
  fftSquareInPlace(re, im, FIELD_SIDE, false);
  const [k2, scale] = [powersOf(sigmaPx), 1 / (FIELD_SIDE * FIELD_SIDE)];
  for (let i = 0; i < re.length; i++) {
    re[i] *= Math.sqrt(k2[i]) * scale;
    im[i] *= Math.sqrt(k2[i]) * scale;
  }
  fftSquareInPlace(re, im, FIELD_SIDE, true);
  return Float32Array.from(re);
}

/** A random field whose energy falls as f^−slope, as that of hills and edges does; variance 1. */
export function powerLawField(slope: number, seed: number): Float32Array {
  const random = createRandom(seed);
  const [re, im] = [new Float64Array(FIELD_SIDE * FIELD_SIDE), new Float64Array(FIELD_SIDE * FIELD_SIDE)];
  for (let i = 0; i < re.length; i++) re[i] = random.normal();
  fftSquareInPlace(re, im, FIELD_SIDE, false);
  for (let k = 0; k < re.length; k++) {
    const [u, v] = [k % FIELD_SIDE, Math.floor(k / FIELD_SIDE)];
    const f = Math.hypot(Math.min(u, FIELD_SIDE - u), Math.min(v, FIELD_SIDE - v));
    const height = f === 0 ? 0 : f ** (-slope / 2);
    re[k] *= height;
    im[k] *= height;
  }
  fftSquareInPlace(re, im, FIELD_SIDE, true);
  const power = re.reduce((sum, v) => sum + v * v, 0) / re.length;
  return Float32Array.from(re, (v) => v / Math.sqrt(power));
}

/** A field through a blur, as if it went on at the other side: no border shows. */
export function blurredField(field: Float32Array, { size, values }: Psf): Float32Array {
  const planes = Array.from({ length: 4 }, () => new Float64Array(FIELD_SIDE * FIELD_SIDE));
  const [re, im, kernel, zero] = planes;
  re.set(field);
  const radius = (size - 1) / 2;
  for (let k = 0; k < values.length; k++) {
    const [x, y] = [(k % size) - radius, Math.floor(k / size) - radius].map((v) => (v + FIELD_SIDE) % FIELD_SIDE);
    kernel[y * FIELD_SIDE + x] = values[k];
  }
  fftSquareInPlace(re, im, FIELD_SIDE, false);
  fftSquareInPlace(kernel, zero, FIELD_SIDE, false);
  // A round blur's transform is real.
  for (let k = 0; k < re.length; k++) {
    re[k] *= kernel[k];
    im[k] *= kernel[k];
  }
  fftSquareInPlace(re, im, FIELD_SIDE, true);
  return Float32Array.from(re, (v) => v / re.length);
}

/** Power of the field at each frequency, white noise having 1. */
export function powersOf(sigmaPx: number): Float64Array {
  const out = new Float64Array(FIELD_SIDE * FIELD_SIDE);
  let sum = 0;
  for (let v = 0; v < FIELD_SIDE; v++)
    for (let u = 0; u < FIELD_SIDE; u++) {
      const [fu, fv] = [Math.min(u, FIELD_SIDE - u) / FIELD_SIDE, Math.min(v, FIELD_SIDE - v) / FIELD_SIDE];
      out[v * FIELD_SIDE + u] = Math.exp(-4 * Math.PI ** 2 * sigmaPx ** 2 * (fu * fu + fv * fv));
      sum += out[v * FIELD_SIDE + u];
    }
  return out.map((p) => (p * FIELD_SIDE * FIELD_SIDE) / sum);
}

/** Bright spots of all sizes and heights on hills, as craters in low light: sharp things that are no stars. */
export function craterField(seed: number): Float32Array {
  const random = createRandom(seed);
  const spots = Array.from({ length: 70 }, () => ({
    x: FIELD_SIDE * random.uniform(),
    y: FIELD_SIDE * random.uniform(),
    sigma: 0.9 * 4 ** random.uniform(),
    height: 60 + 200 * random.uniform(),
  }));
  return smoothField(12, seed).map((v, i) =>
    spots.reduce(
      (sum, { x, y, sigma, height }) => {
        const r2 = ((i % FIELD_SIDE) - x) ** 2 + (Math.floor(i / FIELD_SIDE) - y) ** 2;
        return r2 < 16 * sigma * sigma ? sum + height * Math.exp(-r2 / (2 * sigma * sigma)) : sum;
      },
      400 + 20 * v,
    ),
  );
}

/** A picture with its halves: the same light with noise that grows with it. */
export function exposed(light: Float32Array[], sigma: (light: number) => number, seed: number) {
  const random = createRandom(seed);
  const half = () =>
    rasterOf(
      FIELD_SIDE,
      FIELD_SIDE,
      light.map((plane) => plane.map((v) => v + Math.SQRT2 * sigma(v) * random.normal())),
    );
  const [a, b] = [half(), half()];
  const picture = rasterOf(
    FIELD_SIDE,
    FIELD_SIDE,
    a.planes.map((plane, c) => plane.map((v, i) => (v + b.planes[c][i]) / 2)),
  );
  return { picture, a, b };
}
