import { Unzlib } from "fflate";
import type { TiffDirectory } from "./directory";

/** Compressions of TIFF that are read, by the number in the file. */
export const COMPRESSIONS: Record<number, string> = {
  1: "none",
  5: "LZW",
  8: "deflate",
  32946: "deflate",
  32773: "PackBits",
};

/**
 * One strip or tile, unpacked to exactly `length` bytes; throws Error where the data hold fewer. Never allocates more: packages
 * grow their output without bound on damaged data, so LZW and PackBits are ours. Package for deflate: fflate.
 * Source: TIFF revision 6.0 (1992), sections 9 (PackBits) and 13 (LZW); Adobe's Technical Note 2 (deflate).
 */
export function decompress(packed: Uint8Array, compression: number, length: number): Uint8Array {
  if (compression === 8 || compression === 32946) return inflate(packed, length);
  const decodeInto = compression === 5 ? lzwInto : packBitsInto;
  // Room grows with what was really there, since the claimed length may be damaged.
  for (let room = Math.min(length, 8 * packed.length + 4096); ; room = Math.min(length, 4 * room)) {
    const out = new Uint8Array(room);
    const written = decodeInto(out, packed);
    if (written === length) return out;
    if (written < room) throw new Error(`${written} of ${length} bytes`);
  }
}

function inflate(packed: Uint8Array, length: number): Uint8Array {
  const chunks: Uint8Array[] = [];
  let held = 0;
  const stream = new Unzlib((chunk) => {
    chunks.push(chunk);
    held += chunk.length;
    if (held > length) throw new Error(`more than ${length} bytes`);
  });
  for (let at = 0; at < packed.length; at += 16384)
    stream.push(packed.subarray(at, at + 16384), at + 16384 >= packed.length);
  if (held < length) throw new Error(`${held} of ${length} bytes`);
  const out = new Uint8Array(length);
  let to = 0;
  for (const chunk of chunks) {
    out.set(chunk, to);
    to += chunk.length;
  }
  return out;
}

function packBitsInto(out: Uint8Array, packed: Uint8Array): number {
  let to = 0;
  for (let at = 0; at < packed.length && to < out.length;) {
    const n = (packed[at++] << 24) >> 24;
    if (n >= 0) {
      const literal = packed.subarray(at, Math.min(at + n + 1, at + out.length - to));
      out.set(literal, to);
      to += literal.length;
      at += n + 1;
    } else if (n !== -128) {
      const end = Math.min(out.length, to + 1 - n);
      out.fill(packed[at++], to, end);
      to = end;
    }
  }
  return to;
}

const CLEAR = 256;
const END = 257;

/** Codes of 9 to 12 bits, most significant bit first; a string is kept as its start in the output and its length. */
function lzwInto(out: Uint8Array, packed: Uint8Array): number {
  const starts = new Int32Array(4096);
  const lengths = new Int32Array(4096);
  let next = 258;
  let width = 9;
  let to = 0;
  let previous = -1;
  let previousStart = 0;
  let buffer = 0;
  let bits = 0;
  for (let at = 0; ;) {
    while (bits < width && at < packed.length) {
      buffer = ((buffer << 8) | packed[at++]) & 0xfffff;
      bits += 8;
    }
    if (bits < width) return to;
    const code = (buffer >> (bits - width)) & ((1 << width) - 1);
    bits -= width;
    if (code === END) return to;
    if (code === CLEAR) {
      next = 258;
      width = 9;
      previous = -1;
      continue;
    }
    if (code > next || (code === next && previous < 0) || (code >= 258 && previous < 0)) return to;
    const begin = to;
    if (code < 256) {
      if (to >= out.length) return to;
      out[to++] = code;
    } else {
      // A code that is just being made is the string before and its own first byte.
      const from = code === next ? previousStart : starts[code];
      const length = code === next ? begin - previousStart + 1 : lengths[code];
      for (let i = 0; i < length && to < out.length; i++) out[to++] = out[from + i];
    }
    if (previous >= 0 && next < 4096) {
      starts[next] = previousStart;
      lengths[next] = begin - previousStart + 1;
      next++;
    }
    previous = code;
    previousStart = begin;
    if (to >= out.length) return to;
    // The width grows one code early (section 13, "early change").
    width = next >= 2047 ? 12 : next >= 1023 ? 11 : next >= 511 ? 10 : 9;
  }
}

/** Takes horizontal differencing (2) or the floating-point predictor (3) off, row by row, in place. */
export function unpredictInPlace(
  block: Uint8Array,
  directory: TiffDirectory,
  rowSamples: number,
  inPixel: number,
): void {
  const { predictor, bits, littleEndian } = directory;
  if (predictor === 1) return;
  const size = bits / 8;
  const rowBytes = rowSamples * size;
  for (let start = 0; start + rowBytes <= block.length; start += rowBytes) {
    const row = block.subarray(start, start + rowBytes);
    if (predictor === 2) {
      const view = new DataView(row.buffer, row.byteOffset, row.byteLength);
      for (let i = inPixel; i < rowSamples; i++)
        if (size === 1) row[i] += row[i - inPixel];
        else if (size === 2)
          view.setUint16(
            2 * i,
            view.getUint16(2 * i, littleEndian) + view.getUint16(2 * (i - inPixel), littleEndian),
            littleEndian,
          );
        else
          view.setUint32(
            4 * i,
            view.getUint32(4 * i, littleEndian) + view.getUint32(4 * (i - inPixel), littleEndian),
            littleEndian,
          );
    } else {
      // Bytes are differenced and stored by significance, most significant first (Technical Note 3).
      for (let i = inPixel; i < rowBytes; i++) row[i] += row[i - inPixel];
      const copy = row.slice();
      for (let i = 0; i < rowSamples; i++)
        for (let b = 0; b < size; b++) row[i * size + (littleEndian ? size - 1 - b : b)] = copy[b * rowSamples + i];
    }
  }
}
