/** Bits of the split code, the split that means raw samples, and the bits of those, by bytes per sample (FITS Standard 4.0, 10.4.1). */
const CODE = {
  1: { codeBits: 3, escape: 6, raw: 8 },
  2: { codeBits: 4, escape: 14, raw: 16 },
  4: { codeBits: 5, escape: 25, raw: 32 },
} as const;
export type RiceBytes = keyof typeof CODE;

/**
 * Decodes `count` integers of the RICE_1 algorithm into `out`: a first value, then blocks of differences to the value before,
 * each block with its own number of low bits. Values are signed for 2 and 4 bytes, unsigned for 1. Returns false where the
 * data end early.
 * Source: FITS Standard 4.0, 10.4.1, after Rice, Yeh & Miller 1993, AIAA 93-4541.
 */
export function riceDecodeInto(
  out: Int32Array,
  packed: Uint8Array,
  count: number,
  bytesPerSample: RiceBytes,
  blockSize: number,
): boolean {
  const { codeBits, escape, raw } = CODE[bytesPerSample];
  const most = packed.length * 8;
  let bit = 0;
  const take = (n: number): number => {
    let value = 0;
    while (n > 0) {
      const free = 8 - (bit & 7);
      const step = Math.min(free, n);
      const part = (packed[bit >> 3] >> (free - step)) & ((1 << step) - 1);
      value = step === 32 ? part : ((value << step) | part) >>> 0;
      bit += step;
      n -= step;
    }
    return value;
  };
  if (most < raw || count === 0) return count === 0;
  let last = take(raw);
  const wrap: (value: number) => number =
    bytesPerSample === 4 ? (v) => v | 0 : bytesPerSample === 2 ? (v) => (v << 16) >> 16 : (v) => v & 255;
  for (let i = 0; i < count;) {
    if (bit + codeBits > most) return false;
    const split = take(codeBits) - 1;
    const end = Math.min(count, i + blockSize);
    if (split < 0) {
      for (; i < end; i++) out[i] = wrap(last);
      continue;
    }
    for (; i < end; i++) {
      let mapped: number;
      if (split === escape) {
        if (bit + raw > most) return false;
        mapped = take(raw);
      } else {
        let zeros = 0;
        for (;;) {
          if (bit >= most) return false;
          const free = 8 - (bit & 7);
          const rest = packed[bit >> 3] & ((1 << free) - 1);
          if (rest === 0) {
            zeros += free;
            bit += free;
            continue;
          }
          const ahead = Math.clz32(rest) - (32 - free);
          zeros += ahead;
          bit += ahead + 1;
          break;
        }
        if (bit + split > most) return false;
        mapped = ((zeros << split) | take(split)) >>> 0;
      }
      const difference = mapped & 1 ? ~(mapped >>> 1) : mapped >>> 1;
      last = (last + difference) | 0;
      out[i] = wrap(last);
    }
  }
  return true;
}
