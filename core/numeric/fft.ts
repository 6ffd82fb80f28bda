/**
 * Complex FFT of any length 2^a·3^b·5^c in double precision, in place, natural order in and out:
 * X(k) = Σ x(j) exp(∓2πi jk/n), minus for forward; the inverse is not divided by n.
 * The plain twin of the FFT kernel; recursive decimation in time. O(n log n).
 * Source: Cooley & Tukey 1965, Math. Comp. 19, 297.
 */
export function fftInPlace(re: Float64Array, im: Float64Array, inverse: boolean): void {
  const n = re.length;
  const scratchRe = new Float64Array(n);
  const scratchIm = new Float64Array(n);
  const sign = inverse ? 1 : -1;
  const cos = new Float64Array(n);
  const sin = new Float64Array(n);
  for (let k = 0; k < n; k++) {
    cos[k] = Math.cos((2 * Math.PI * k) / n);
    sin[k] = sign * Math.sin((2 * Math.PI * k) / n);
  }
  transform(re, im, 0, 1, scratchRe, scratchIm, 0, n, cos, sin, 1);
  re.set(scratchRe);
  im.set(scratchIm);
}

/** The two-dimensional FFT of a square, row by row and column by column, in place, as fftInPlace. */
export function fftSquareInPlace(re: Float64Array, im: Float64Array, side: number, inverse: boolean): void {
  const line = (start: number, stride: number) => {
    const a = Float64Array.from({ length: side }, (_, k) => re[start + k * stride]);
    const b = Float64Array.from({ length: side }, (_, k) => im[start + k * stride]);
    fftInPlace(a, b, inverse);
    for (let k = 0; k < side; k++) [re[start + k * stride], im[start + k * stride]] = [a[k], b[k]];
  };
  for (let k = 0; k < side; k++) line(k * side, 1);
  for (let k = 0; k < side; k++) line(k, side);
}

function smallestFactor(n: number): number {
  for (const r of [4, 2, 3, 5]) if (n % r === 0) return r;
  throw new RangeError(`FFT length must be a product of 2, 3 and 5, received a factor ${n}`);
}

function transform(
  re: Float64Array,
  im: Float64Array,
  from: number,
  stride: number,
  outRe: Float64Array,
  outIm: Float64Array,
  to: number,
  n: number,
  cos: Float64Array,
  sin: Float64Array,
  turn: number,
): void {
  if (n === 1) {
    outRe[to] = re[from];
    outIm[to] = im[from];
    return;
  }
  const r = smallestFactor(n);
  const m = n / r;
  for (let q = 0; q < r; q++)
    transform(re, im, from + q * stride, stride * r, outRe, outIm, to + q * m, m, cos, sin, turn * r);
  const partRe = new Float64Array(r);
  const partIm = new Float64Array(r);
  for (let j = 0; j < m; j++) {
    for (let q = 0; q < r; q++) {
      partRe[q] = outRe[to + q * m + j];
      partIm[q] = outIm[to + q * m + j];
    }
    for (let p = 0; p < r; p++) {
      const k = j + p * m;
      let sumRe = 0;
      let sumIm = 0;
      for (let q = 0; q < r; q++) {
        const t = ((k * q) % n) * turn;
        sumRe += partRe[q] * cos[t] - partIm[q] * sin[t];
        sumIm += partRe[q] * sin[t] + partIm[q] * cos[t];
      }
      outRe[to + p * m + j] = sumRe;
      outIm[to + p * m + j] = sumIm;
    }
  }
}

/** Complex FFT of a w × h array (row-major), rows then columns; see fftInPlace for order, sign and scale. */
export function fft2InPlace(re: Float64Array, im: Float64Array, w: number, h: number, inverse: boolean): void {
  for (let y = 0; y < h; y++) fftInPlace(re.subarray(y * w, (y + 1) * w), im.subarray(y * w, (y + 1) * w), inverse);
  const columnRe = new Float64Array(h);
  const columnIm = new Float64Array(h);
  for (let x = 0; x < w; x++) {
    for (let y = 0; y < h; y++) {
      columnRe[y] = re[y * w + x];
      columnIm[y] = im[y * w + x];
    }
    fftInPlace(columnRe, columnIm, inverse);
    for (let y = 0; y < h; y++) {
      re[y * w + x] = columnRe[y];
      im[y * w + x] = columnIm[y];
    }
  }
}
