/** Sample types of FITS Standard 4.0, table 8. */
export const BITPIX = [8, 16, 32, 64, -32, -64] as const;
export type Bitpix = (typeof BITPIX)[number];

/**
 * The physical value that becomes 1.0: 255 for bytes, 65535 for 16-bit integers that BZERO makes unsigned, 32767 for signed
 * ones (127 for bytes that BZERO = −128 makes signed), each times |BSCALE|. 1 for floats and for integers of 32 and 64 bits, which no
 * converter fills: they keep their own numbers. Source: FITS Standard 4.0, 4.4.2.5 and table 11.
 */
export function fullScaleOf(bitpix: Bitpix, bscale: number, bzero: number): number {
  if (bitpix < 0 || bitpix > 16) return 1;
  const unit = Math.abs(bscale || 1);
  if (bitpix === 8) return (bzero === -128 * bscale ? 127 : 255) * unit;
  const half = 2 ** (bitpix - 1);
  return (bzero === half * bscale ? 2 * half - 1 : half - 1) * unit;
}

export type Decode = (view: DataView, at: number, out: Float32Array, to: number, count: number) => void;

/** A number, or NaN for the infinite: what divisions by zero leave is no light. */
const finite = (v: number): number => v + (v - v);

/** The same of a single's bits. */
const finiteBits = (bits: number): number => ((bits & 0x7f800000) === 0x7f800000 ? 0x7fc00000 : bits);

/** Floats that are not scaled, as bits: nearly twice as fast. */
const decodeFloats: Decode = (view, at, out, to, count) => {
  const bits = new Int32Array(out.buffer, out.byteOffset + 4 * to, count);
  let i = 0;
  for (; i + 4 <= count; i += 4) {
    const k = at + 4 * i;
    bits[i] = finiteBits(view.getInt32(k, false));
    bits[i + 1] = finiteBits(view.getInt32(k + 4, false));
    bits[i + 2] = finiteBits(view.getInt32(k + 8, false));
    bits[i + 3] = finiteBits(view.getInt32(k + 12, false));
  }
  for (; i < count; i++) bits[i] = finiteBits(view.getInt32(at + 4 * i, false));
};

/** Samples are stored most significant byte first (FITS Standard 4.0, 5). value = stored × scale + zero; infinite floats are NaN. */
export function decoderOf(bitpix: Bitpix, scale: number, zero: number, blank: number | undefined): Decode {
  if (bitpix === 16 && blank === undefined)
    return (view, at, out, to, count) => {
      let i = 0;
      // Four at a time: a third faster as engines compile it.
      for (; i + 4 <= count; i += 4) {
        const [k, j] = [at + 2 * i, to + i];
        out[j] = view.getInt16(k, false) * scale + zero;
        out[j + 1] = view.getInt16(k + 2, false) * scale + zero;
        out[j + 2] = view.getInt16(k + 4, false) * scale + zero;
        out[j + 3] = view.getInt16(k + 6, false) * scale + zero;
      }
      for (; i < count; i++) out[to + i] = view.getInt16(at + 2 * i, false) * scale + zero;
    };
  if (bitpix === -32 && scale === 1 && zero === 0) return decodeFloats;
  if (bitpix === -32)
    return (view, at, out, to, count) => {
      for (let i = 0; i < count; i++) out[to + i] = finite(view.getFloat32(at + 4 * i, false)) * scale + zero;
    };
  const from: Record<Bitpix, (view: DataView, at: number) => number> = {
    8: (view, at) => view.getUint8(at),
    16: (view, at) => view.getInt16(at, false),
    32: (view, at) => view.getInt32(at, false),
    64: (view, at) => view.getInt32(at, false) * 2 ** 32 + view.getUint32(at + 4, false),
    [-32]: (view, at) => finite(view.getFloat32(at, false)),
    // What a 32-bit sample cannot hold is as good as infinite.
    [-64]: (view, at) => finite(Math.fround(view.getFloat64(at, false))),
  };
  const sample = from[bitpix];
  const bytes = Math.abs(bitpix) / 8;
  return (view, at, out, to, count) => {
    for (let i = 0; i < count; i++) {
      const stored = sample(view, at + i * bytes);
      out[to + i] = stored === blank ? NaN : stored * scale + zero;
    }
  };
}
