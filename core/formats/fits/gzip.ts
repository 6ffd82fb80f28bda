import { Gunzip, gunzipSync } from "fflate";
import type { ByteSource } from "../bytes";
import { bytesOfArray } from "../bytes";
import { FormatError } from "../problem";
import { findImage } from "./hdu";
import { BLOCK } from "./header";

/** RFC 1952, 2.3.1: the two identifying bytes. */
export function isGzip(start: Uint8Array): boolean {
  return start.length >= 2 && start[0] === 0x1f && start[1] === 0x8b;
}

const PIECE = 1 << 18;

/**
 * Unpacks a gzipped FITS file as far as the end of its first image: headers are read while they come out, so that nothing is
 * kept beyond what the header claims, and nothing is allocated before the bytes are there. Package: fflate.
 */
export async function gunzipImage(bytes: ByteSource, progress?: (fraction: number) => void): Promise<ByteSource> {
  const chunks: Uint8Array[] = [];
  let held = 0;
  let at = 0;
  const stream = new Gunzip((chunk) => {
    chunks.push(chunk);
    held += chunk.length;
  });
  const fill = async (length: number): Promise<void> => {
    while (held < length && at < bytes.size) {
      const piece = await bytes.read(at, Math.min(PIECE, bytes.size - at));
      at += piece.length;
      try {
        stream.push(piece, at >= bytes.size);
      } catch (error) {
        throw gzipError(bytes.name, at - piece.length, error);
      }
      progress?.(at / bytes.size);
    }
  };
  /** The unpacked file as far as it is there; its size is not known before its end. */
  const growing: ByteSource = {
    name: bytes.name,
    size: Infinity,
    read: async (offset, length) => {
      await fill(offset + length);
      if (held < offset + length)
        throw new FormatError(
          bytes.name,
          "truncated",
          `byte ${held} of the unpacked file`,
          `${offset + length} bytes`,
          `${held}`,
          "The file is cut short or damaged; copy it again.",
        );
      return gather(chunks, offset, length);
    },
  };
  const { dataStart, dataBytes } = await findImage(growing);
  const end = dataStart + Math.ceil(dataBytes / BLOCK) * BLOCK;
  await fill(end);
  const whole = Math.min(end, held);
  return bytesOfArray(bytes.name, gather(chunks, 0, whole));
}

function gather(chunks: Uint8Array[], offset: number, length: number): Uint8Array {
  const out = new Uint8Array(length);
  let start = 0;
  for (const chunk of chunks) {
    const from = Math.max(0, offset - start);
    const to = Math.min(chunk.length, offset + length - start);
    if (from < to) out.set(chunk.subarray(from, to), start + from - offset);
    start += chunk.length;
    if (start >= offset + length) break;
  }
  return out;
}

/** One gzipped piece of exactly `length` bytes; FormatError where it holds another number of bytes. */
export function gunzipExactly(file: string, where: string, packed: Uint8Array, length: number): Uint8Array {
  const room = new Uint8Array(length + 1);
  let out: Uint8Array;
  try {
    out = gunzipSync(packed, { out: room });
  } catch (error) {
    throw gzipError(file, where, error);
  }
  if (out.length !== length)
    throw new FormatError(file, "damaged", where, `${length} unpacked bytes`, `${out.length}`, "Copy the file again.");
  return out;
}

function gzipError(file: string, where: number | string, error: unknown): FormatError {
  if (error instanceof FormatError) return error;
  return new FormatError(
    file,
    "damaged",
    typeof where === "number" ? `after byte ${where}` : where,
    "gzip data (RFC 1952)",
    error instanceof Error ? error.message : String(error),
    "The file is damaged; copy it again.",
  );
}
