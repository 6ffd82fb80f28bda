/**
 * Complex FFT of any length 2^a·3^b·5^c in double precision, in place, natural order in and out:
 * X(k) = Σ x(j) exp(∓2πi jk/n), minus for forward; the inverse is not divided by n.
 * The plain twin of the FFT kernel; O(n log n). Throws RangeError for another length.
 * Source: Cooley & Tukey 1965, Math. Comp. 19, 297; self-sorting as Stockham's in Cochran et al.
 * 1967, Proc. IEEE 55, 1664.
 */
export function fftInPlace(re: Float64Array, im: Float64Array, inverse: boolean): void {
  transform(re, im, planOf(re.length, inverse), 1);
}

/** Complex FFT of a w × h array (row-major), rows then columns; see fftInPlace for order, sign and scale. */
export function fft2InPlace(re: Float64Array, im: Float64Array, w: number, h: number, inverse: boolean): void {
  const rows = planOf(w, inverse);
  for (let y = 0; y < h; y++) transform(re.subarray(y * w, (y + 1) * w), im.subarray(y * w, (y + 1) * w), rows, 1);
  transform(re, im, h === w ? rows : planOf(h, inverse), w);
}

/** The two-dimensional FFT of a square; see fft2InPlace. */
export function fftSquareInPlace(re: Float64Array, im: Float64Array, side: number, inverse: boolean): void {
  fft2InPlace(re, im, side, side, inverse);
}

/** What transforms of one length and direction share. */
interface Plan {
  n: number;
  /** Their product is n. */
  radices: number[];
  /** exp(∓2πi k/n), k = 0 … n − 1. */
  cos: Float64Array;
  sin: Float64Array;
  sign: number;
}

function planOf(n: number, inverse: boolean): Plan {
  const radices: number[] = [];
  for (let rest = n; rest > 1; rest /= radices[radices.length - 1]) radices.push(radixOf(rest, n));
  const sign = inverse ? 1 : -1;
  const cos = new Float64Array(n);
  const sin = new Float64Array(n);
  for (let k = 0; k < n; k++) {
    cos[k] = Math.cos((2 * Math.PI * k) / n);
    sin[k] = sign * Math.sin((2 * Math.PI * k) / n);
  }
  return { n, radices, cos, sin, sign };
}

function radixOf(rest: number, n: number): number {
  for (const r of [4, 2, 3, 5]) if (rest % r === 0) return r;
  throw new RangeError(`FFT length must be a product of 2, 3 and 5, received ${n}`);
}

/** A stage: `parts` transforms of `radix` values each, of `together` values that lie side by side. */
interface Stage {
  re: Float64Array;
  im: Float64Array;
  outRe: Float64Array;
  outIm: Float64Array;
  parts: number;
  together: number;
  /** Steps in the tables from one part's factor to the next one's. */
  turn: number;
  plan: Plan;
}

/** Transforms of `batch` interleaved arrays: value j of array b at j · batch + b. */
function transform(re: Float64Array, im: Float64Array, plan: Plan, batch: number): void {
  let from: Float64Array[] = [re, im];
  let to: Float64Array[] = [new Float64Array(re.length), new Float64Array(re.length)];
  let rest = plan.n;
  let done = 1;
  for (const radix of plan.radices) {
    const parts = rest / radix;
    const [[a, b], [c, d]] = [from, to];
    BUTTERFLIES[radix]({ re: a, im: b, outRe: c, outIm: d, parts, together: done * batch, turn: done, plan });
    [from, to] = [to, from];
    rest = parts;
    done *= radix;
  }
  if (from[0] === re) return;
  re.set(from[0]);
  im.set(from[1]);
}

const BUTTERFLIES: Record<number, (stage: Stage) => void> = { 2: byTwo, 3: byThree, 4: byFour, 5: byFive };

function byTwo({ re, im, outRe, outIm, parts, together, turn, plan: { cos, sin } }: Stage): void {
  const step = together * parts;
  for (let p = 0; p < parts; p++) {
    const [c1, s1] = [cos[p * turn], sin[p * turn]];
    let i = together * p;
    let o = together * 2 * p;
    for (const end = i + together; i < end; i++, o++) {
      const [aRe, aIm, bRe, bIm] = [re[i], im[i], re[i + step], im[i + step]];
      outRe[o] = aRe + bRe;
      outIm[o] = aIm + bIm;
      const [dRe, dIm] = [aRe - bRe, aIm - bIm];
      outRe[o + together] = dRe * c1 - dIm * s1;
      outIm[o + together] = dRe * s1 + dIm * c1;
    }
  }
}

function byThree({ re, im, outRe, outIm, parts, together, turn, plan: { cos, sin, sign } }: Stage): void {
  const step = together * parts;
  const half = (sign * Math.sqrt(3)) / 2;
  for (let p = 0; p < parts; p++) {
    const [c1, s1] = [cos[p * turn], sin[p * turn]];
    const [c2, s2] = [cos[2 * p * turn], sin[2 * p * turn]];
    let i = together * p;
    let o = together * 3 * p;
    for (const end = i + together; i < end; i++, o++) {
      const sumRe = re[i + step] + re[i + 2 * step];
      const sumIm = im[i + step] + im[i + 2 * step];
      const awayRe = half * (re[i + step] - re[i + 2 * step]);
      const awayIm = half * (im[i + step] - im[i + 2 * step]);
      const midRe = re[i] - sumRe / 2;
      const midIm = im[i] - sumIm / 2;
      outRe[o] = re[i] + sumRe;
      outIm[o] = im[i] + sumIm;
      const [bRe, bIm] = [midRe - awayIm, midIm + awayRe];
      const [cRe, cIm] = [midRe + awayIm, midIm - awayRe];
      outRe[o + together] = bRe * c1 - bIm * s1;
      outIm[o + together] = bRe * s1 + bIm * c1;
      outRe[o + 2 * together] = cRe * c2 - cIm * s2;
      outIm[o + 2 * together] = cRe * s2 + cIm * c2;
    }
  }
}

function byFour({ re, im, outRe, outIm, parts, together, turn, plan: { cos, sin, sign } }: Stage): void {
  const step = together * parts;
  for (let p = 0; p < parts; p++) {
    const [c1, s1] = [cos[p * turn], sin[p * turn]];
    const [c2, s2] = [cos[2 * p * turn], sin[2 * p * turn]];
    const [c3, s3] = [cos[3 * p * turn], sin[3 * p * turn]];
    let i = together * p;
    let o = together * 4 * p;
    for (const end = i + together; i < end; i++, o++) {
      const evenRe = re[i] + re[i + 2 * step];
      const evenIm = im[i] + im[i + 2 * step];
      const apartRe = re[i] - re[i + 2 * step];
      const apartIm = im[i] - im[i + 2 * step];
      const oddRe = re[i + step] + re[i + 3 * step];
      const oddIm = im[i + step] + im[i + 3 * step];
      const turnedRe = -sign * (im[i + step] - im[i + 3 * step]);
      const turnedIm = sign * (re[i + step] - re[i + 3 * step]);
      outRe[o] = evenRe + oddRe;
      outIm[o] = evenIm + oddIm;
      const [bRe, bIm] = [apartRe + turnedRe, apartIm + turnedIm];
      const [cRe, cIm] = [evenRe - oddRe, evenIm - oddIm];
      const [dRe, dIm] = [apartRe - turnedRe, apartIm - turnedIm];
      outRe[o + together] = bRe * c1 - bIm * s1;
      outIm[o + together] = bRe * s1 + bIm * c1;
      outRe[o + 2 * together] = cRe * c2 - cIm * s2;
      outIm[o + 2 * together] = cRe * s2 + cIm * c2;
      outRe[o + 3 * together] = dRe * c3 - dIm * s3;
      outIm[o + 3 * together] = dRe * s3 + dIm * c3;
    }
  }
}

function byFive({ re, im, outRe, outIm, parts, together, turn, plan: { n, cos, sin } }: Stage): void {
  const step = together * parts;
  const fifth = (k: number): [number, number] => [cos[(k * n) / 5], sin[(k * n) / 5]];
  const roots = [0, 1, 2, 3, 4].map(fifth);
  for (let p = 0; p < parts; p++)
    for (let k = 0; k < 5; k++) {
      const [c, s] = [cos[k * p * turn], sin[k * p * turn]];
      const [[c1, s1], [c2, s2], [c3, s3], [c4, s4]] = [1, 2, 3, 4].map((q) => roots[(k * q) % 5]);
      let i = together * p;
      let o = together * (5 * p + k);
      for (const end = i + together; i < end; i++, o++) {
        const [i1, i2, i3, i4] = [i + step, i + 2 * step, i + 3 * step, i + 4 * step];
        const a = re[i] + re[i1] * c1 - im[i1] * s1 + re[i2] * c2 - im[i2] * s2;
        const b = im[i] + re[i1] * s1 + im[i1] * c1 + re[i2] * s2 + im[i2] * c2;
        const sumRe = a + re[i3] * c3 - im[i3] * s3 + re[i4] * c4 - im[i4] * s4;
        const sumIm = b + re[i3] * s3 + im[i3] * c3 + re[i4] * s4 + im[i4] * c4;
        outRe[o] = sumRe * c - sumIm * s;
        outIm[o] = sumRe * s + sumIm * c;
      }
    }
}
