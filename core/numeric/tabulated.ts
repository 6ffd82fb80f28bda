/** A function of one number with its slope, and what it is below `least`: x · lowSlope. */
export interface Rising {
  value(x: number): number;
  slope(x: number): number;
  least: number;
  lowSlope: number;
}

/** Knots to each doubling of x: 2 to the power of this. */
const KNOT_BITS = 5;
/** Bits of a single that lie between two knots. */
const BETWEEN = 23 - KNOT_BITS;
const MASK = (1 << BETWEEN) - 1;
/** Doublings of `least` that the table reaches; beyond, the function itself is asked. */
const DOUBLINGS = 48;

/**
 * A smooth function, worked out at 32 knots to each doubling of x and between them by the cubic of its values and slopes (Hermite's; error at most
 * h⁴/384 of the fourth derivative: 1.5e-8 for a logarithm). What it gives takes values v, all at once, to `more` + f(v − `less`). The exponent and the
 * first bits of v − `less` in single precision are the number of its knot, so none is searched for. NaN stays NaN; below `least` (> 0) the function is a line.
 */
export function tabulated({
  value,
  slope,
  least,
  lowSlope,
}: Rising): (values: Float32Array, less: number, more: number) => Float32Array {
  const word = new Float32Array(1);
  const wordBits = new Int32Array(word.buffer);
  word[0] = least;
  const first = (wordBits[0] >> BETWEEN) + 1;
  const count = Math.min(DOUBLINGS << KNOT_BITS, (0x7f800000 >> BETWEEN) - first - 1);
  const knotAt = (k: number): number => {
    wordBits[0] = (first + k) << BETWEEN;
    return word[0];
  };
  const terms = new Float64Array(4 * count);
  let [x, y, rise] = [knotAt(0), value(knotAt(0)), slope(knotAt(0))];
  for (let k = 0; k < count; k++) {
    const nextX = knotAt(k + 1);
    const [nextY, nextRise] = [value(nextX), slope(nextX)];
    const h = nextX - x;
    const [p, q, d] = [h * rise, h * nextRise, nextY - y];
    terms.set([y, p, 3 * d - 2 * p - q, p + q - 2 * d], 4 * k);
    [x, y, rise] = [nextX, nextY, nextRise];
  }
  const firstBits = first << BETWEEN;
  const endBits = (first + count) << BETWEEN;
  return (values, less, more) => {
    const out = new Float32Array(values.length);
    const bits = new Int32Array(out.buffer);
    for (let i = 0; i < out.length; i++) {
      const light = values[i] - less;
      out[i] = light;
      const word = bits[i];
      if (word >= firstBits && word < endBits) {
        const k = ((word - firstBits) >> BETWEEN) << 2;
        const t = (word & MASK) / (MASK + 1);
        out[i] = more + terms[k] + t * (terms[k + 1] + t * (terms[k + 2] + t * terms[k + 3]));
      } else out[i] = more + (light > least ? value(light) : light * lowSlope);
    }
    return out;
  };
}
