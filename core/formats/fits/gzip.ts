import { Gunzip, gunzipSync } from "fflate";
import type { ByteSource } from "../bytes";
import { bytesOfArray } from "../bytes";
import { FormatError, mayHold } from "../problem";
import { findImage } from "./hdu";
import { BLOCK } from "./header";

/** RFC 1952, 2.3.1: the two identifying bytes. */
export function isGzip(start: Uint8Array): boolean {
  return start.length >= 2 && start[0] === 0x1f && start[1] === 0x8b;
}

/** Pieces that are handed to the unpacker: deflate gains at most 1032 : 1, so each grows to 17 MB at most. */
const PIECE = 1 << 14;

/**
 * Unpacks a gzipped FITS file as far as the end of its first image: headers are read while they come out, and nothing beyond the image is
 * unpacked. What the header claims is allocated once, after it was held against what the file can hold. Package: fflate.
 */
export async function gunzipImage(bytes: ByteSource, progress?: (fraction: number) => void): Promise<ByteSource> {
  let room: Uint8Array = new Uint8Array(1 << 16);
  let held = 0;
  let at = 0;
  /** Bytes beyond this are thrown away. */
  let wanted = Infinity;
  const stream = new Gunzip((chunk) => {
    const part = chunk.subarray(0, Math.max(0, wanted - held));
    if (held + part.length > room.length) {
      const larger = new Uint8Array(Math.max(2 * room.length, held + part.length));
      larger.set(room.subarray(0, held));
      room = larger;
    }
    room.set(part, held);
    held += part.length;
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
      return room.slice(offset, offset + length);
    },
  };
  const { dataStart, dataBytes } = await findImage(growing);
  const end = dataStart + Math.ceil(dataBytes / BLOCK) * BLOCK;
  if (!mayHold(end, bytes.size))
    throw new FormatError(
      bytes.name,
      "truncated",
      "cards NAXISn",
      `at most what ${bytes.size} packed bytes of a picture can hold`,
      `${end} bytes`,
      "The file is damaged, or holds nothing; copy it again, or unpack it with gunzip.",
    );
  wanted = end;
  held = Math.min(held, end);
  if (end > room.length) {
    const whole = new Uint8Array(end);
    whole.set(room.subarray(0, held));
    room = whole;
  }
  await fill(end);
  return bytesOfArray(bytes.name, room.subarray(0, held));
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
