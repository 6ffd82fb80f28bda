import type { ByteSource } from "../bytes";
import { FormatError, mayHold } from "../problem";
import { gunzipExactly } from "./gzip";
import type { Hdu } from "./hdu";
import { whole } from "./hdu";
import type { FitsHeader } from "./header";
import type { RiceBytes } from "./rice";
import { riceDecodeInto } from "./rice";
import type { Bitpix } from "./samples";

interface Layout {
  width: number;
  height: number;
  channels: number;
  bitpix: Bitpix;
  /** value = stored × scale + zero, full scale included. */
  scale: number;
  zero: number;
}

/**
 * Decompresses a tile-compressed image: RICE_1, GZIP_1, GZIP_2, also of quantised floats with subtractive dithering 1 and 2.
 * HCOMPRESS_1 and PLIO_1 are refused. The planes come back in stored row order.
 * Source: FITS Standard 4.0, section 10; binary tables: 7.3.
 */
export async function readTiles(
  bytes: ByteSource,
  { header, dataStart, dataBytes }: Hdu,
  layout: Layout,
  progress?: (fraction: number) => void,
): Promise<Float32Array[]> {
  const file = bytes.name;
  const { width, height, channels, bitpix } = layout;
  const method = header.text("ZCMPTYPE")?.trim() ?? "";
  if (!["RICE_1", "RICE_ONE", "GZIP_1", "GZIP_2"].includes(method))
    throw new FormatError(
      file,
      "unsupported",
      "card ZCMPTYPE",
      "RICE_1, GZIP_1 or GZIP_2",
      method || "no such card",
      "Write the file again with RICE_1, or uncompressed.",
    );
  if (dataStart + dataBytes > bytes.size)
    throw new FormatError(
      file,
      "truncated",
      `byte ${bytes.size}`,
      `${dataBytes} bytes of compressed data`,
      `${Math.max(0, bytes.size - dataStart)} bytes`,
      "The file is cut short; copy it again.",
    );
  const table = tableOf(file, header);
  const tile = [1, 2, 3].map((axis) => {
    const most = [width, height, channels][axis - 1];
    const size = header.number(`ZTILE${axis}`) ?? (axis === 1 ? width : 1);
    if (!(size >= 1)) throw new FormatError(file, "damaged", `card ZTILE${axis}`, "at least 1", String(size), COPY);
    return Math.min(most, Math.round(size));
  });
  const across = [width, height, channels].map((n, axis) => Math.ceil(n / tile[axis]));
  const count = across[0] * across[1] * across[2];
  if (count !== table.rows)
    throw new FormatError(file, "damaged", "card NAXIS2", `${count} rows, one for each tile`, String(table.rows), COPY);
  const claimed = (width * height * channels * Math.abs(bitpix)) / 8;
  if (!mayHold(claimed, dataBytes))
    throw new FormatError(
      file,
      "damaged",
      "cards ZNAXISn",
      `at most what ${dataBytes} packed bytes of a picture can hold`,
      `${claimed} bytes`,
      COPY,
    );
  const rows = await bytes.read(dataStart, table.rowBytes * table.rows);
  const view = new DataView(rows.buffer, rows.byteOffset, rows.byteLength);
  const heapStart = header.number("THEAP") ?? table.rowBytes * table.rows;
  const decode = tileDecoder(file, header, method, bitpix);
  // Tiles are decoded before the whole picture is allocated, so that a damaged header cannot claim more than there is.
  const decoded: { x: number; y: number; z: number; w: number; h: number; values: Float32Array }[] = [];
  for (let n = 0; n < count; n++) {
    const origin = [n % across[0], Math.floor(n / across[0]) % across[1], Math.floor(n / across[0] / across[1])];
    const [x, y, z] = origin.map((k, axis) => k * tile[axis]);
    const [w, h, d] = [Math.min(tile[0], width - x), Math.min(tile[1], height - y), Math.min(tile[2], channels - z)];
    const where = `tile ${n + 1}`;
    const samples = w * h * d;
    const cell = async (name: string): Promise<Uint8Array | null> => {
      const column = table.columns.get(name);
      if (!column) return null;
      const at = n * table.rowBytes + column.offset;
      const wide = column.kind === "Q";
      const length = (wide ? Number(view.getBigInt64(at)) : view.getInt32(at)) * column.elementBytes;
      const offset = wide ? Number(view.getBigInt64(at + 8)) : view.getInt32(at + 4);
      if (length === 0) return null;
      if (length < 0 || offset < 0 || heapStart + offset + length > dataBytes)
        throw new FormatError(
          file,
          "damaged",
          `${where}, column ${name}`,
          "data inside the heap",
          `${length} bytes at ${offset}`,
          COPY,
        );
      return bytes.read(dataStart + heapStart + offset, length);
    };
    const number = (name: string, fallback: number): number => {
      const column = table.columns.get(name);
      if (!column) return fallback;
      const at = n * table.rowBytes + column.offset;
      return column.kind === "D" ? view.getFloat64(at) : column.kind === "E" ? view.getFloat32(at) : view.getInt32(at);
    };
    const values = decode({
      where,
      index: n,
      samples,
      packed: await cell("COMPRESSED_DATA"),
      lossless: await cell("GZIP_COMPRESSED_DATA"),
      plain: await cell("UNCOMPRESSED_DATA"),
      number,
    });
    const { scale, zero } = layout;
    const physical = new Float32Array(samples);
    for (let i = 0; i < samples; i++) {
      const v = Math.fround(values[i] * scale + zero);
      physical[i] = v - v === 0 ? v : NaN;
    }
    decoded.push({ x, y, z, w, h, values: physical });
    progress?.((n + 1) / count);
  }
  const planes = Array.from({ length: channels }, () => new Float32Array(width * height));
  for (const { x, y, z, w, h, values } of decoded)
    for (let row = 0; row * w < values.length; row++) {
      const plane = planes[z + Math.floor(row / h)];
      plane.set(values.subarray(row * w, row * w + w), (y + (row % h)) * width + x);
    }
  return planes;
}

const COPY = "The file is damaged; copy it again.";

interface Column {
  offset: number;
  kind: string;
  /** Bytes of an element of a variable-length array. */
  elementBytes: number;
}

const ELEMENT_BYTES: Record<string, number> = {
  L: 1,
  X: 1,
  B: 1,
  A: 1,
  I: 2,
  J: 4,
  K: 8,
  E: 4,
  D: 8,
  C: 8,
  M: 16,
  P: 8,
  Q: 16,
};

/** Columns of a binary table by name (FITS Standard 4.0, 7.3). */
function tableOf(file: string, header: FitsHeader): { rowBytes: number; rows: number; columns: Map<string, Column> } {
  const rowBytes = whole(file, header, "NAXIS1", 1, 1 << 20);
  const rows = whole(file, header, "NAXIS2", 1, 2 ** 31);
  const fields = whole(file, header, "TFIELDS", 1, 999);
  const columns = new Map<string, Column>();
  let offset = 0;
  for (let i = 1; i <= fields; i++) {
    const form = header.text(`TFORM${i}`) ?? "";
    const read = /^\s*(\d*)([LXBIJKAEDCMPQ])([LXBIJKAEDCM])?/.exec(form);
    if (!read)
      throw new FormatError(file, "damaged", `card TFORM${i}`, "a form of a table column", JSON.stringify(form), COPY);
    const [, repeat, kind, element] = read;
    const elementBytes = ELEMENT_BYTES[element ?? "B"];
    columns.set((header.text(`TTYPE${i}`) ?? "").trim(), { offset, kind, elementBytes });
    offset += (repeat === "" ? 1 : Number(repeat)) * ELEMENT_BYTES[kind];
  }
  if (offset > rowBytes)
    throw new FormatError(file, "damaged", "card NAXIS1", `${offset} bytes a row`, String(rowBytes), COPY);
  return { rowBytes, rows, columns };
}

interface Tile {
  where: string;
  index: number;
  samples: number;
  packed: Uint8Array | null;
  lossless: Uint8Array | null;
  plain: Uint8Array | null;
  number(name: string, fallback: number): number;
}

type DecodeTile = (tile: Tile) => ArrayLike<number>;

function tileDecoder(file: string, header: FitsHeader, method: string, bitpix: Bitpix): DecodeTile {
  const option = (name: string, fallback: number): number => {
    for (let i = 1; header.get(`ZNAME${i}`) !== undefined; i++)
      if (header.text(`ZNAME${i}`)?.trim() === name) return header.number(`ZVAL${i}`) ?? fallback;
    return fallback;
  };
  const rice = method.startsWith("RICE");
  const blockSize = option("BLOCKSIZE", 32);
  const floats = bitpix < 0;
  const quantised = floats && (header.get("ZSCALE") !== undefined || headerHasColumn(header, "ZSCALE"));
  const storedBytes = floats && !quantised ? -bitpix / 8 : floats ? 4 : bitpix / 8;
  const riceBytes = option("BYTEPIX", floats ? 4 : storedBytes);
  if (rice && ![1, 2, 4].includes(riceBytes))
    throw new FormatError(file, "damaged", "option BYTEPIX", "1, 2 or 4", String(riceBytes), COPY);
  if (rice && !(blockSize >= 1 && blockSize <= 4096))
    throw new FormatError(file, "damaged", "option BLOCKSIZE", "1 to 4096", String(blockSize), COPY);
  const blank = header.number("ZBLANK") ?? (floats ? undefined : header.number("BLANK"));
  const dither = header.text("ZQUANTIZ")?.trim() ?? "NO_DITHER";
  const ditherSeed = header.number("ZDITHER0") ?? 1;
  const random = ditherTable();

  const integers = (tile: Tile): ArrayLike<number> => {
    const { where, samples, packed } = tile;
    if (!packed) throw new FormatError(file, "damaged", where, "compressed data", "none", COPY);
    // A block of equal samples costs at least 3 bits; deflate gains at most 1032 : 1.
    const most = packed.length * (rice ? 3 * blockSize : 1032);
    if (samples > most) throw new FormatError(file, "damaged", where, `at most ${most} samples`, String(samples), COPY);
    if (rice) {
      const out = new Int32Array(samples);
      if (!riceDecodeInto(out, packed, samples, riceBytes as RiceBytes, blockSize))
        throw new FormatError(
          file,
          "truncated",
          where,
          `${samples} samples`,
          `${packed.length} bytes that end early`,
          COPY,
        );
      return out;
    }
    const unpacked = gunzipExactly(file, where, packed, samples * storedBytes);
    return numbersOf(method === "GZIP_2" ? unshuffle(unpacked, storedBytes) : unpacked, storedBytes, false);
  };

  const floatBytes = -bitpix / 8;
  return (tile) => {
    if (tile.packed === null && tile.lossless && tile.samples > tile.lossless.length * 1032)
      throw new FormatError(file, "damaged", tile.where, "samples that the data can hold", String(tile.samples), COPY);
    if (tile.packed === null && tile.lossless)
      return numbersOf(
        gunzipExactly(file, tile.where, tile.lossless, tile.samples * (floats ? floatBytes : storedBytes)),
        floats ? floatBytes : storedBytes,
        floats,
      );
    if (tile.packed === null && tile.plain) {
      const size = floats ? floatBytes : storedBytes;
      if (tile.plain.length < tile.samples * size)
        throw new FormatError(
          file,
          "truncated",
          tile.where,
          `${tile.samples} samples`,
          `${tile.plain.length} bytes`,
          COPY,
        );
      return numbersOf(tile.plain, size, floats);
    }
    if (floats && !quantised) {
      if (rice || !tile.packed)
        throw new FormatError(file, "damaged", tile.where, "floats compressed by gzip", method, COPY);
      if (tile.samples > tile.packed.length * 1032)
        throw new FormatError(
          file,
          "damaged",
          tile.where,
          "samples that the data can hold",
          String(tile.samples),
          COPY,
        );
      const unpacked = gunzipExactly(file, tile.where, tile.packed, tile.samples * floatBytes);
      return numbersOf(method === "GZIP_2" ? unshuffle(unpacked, floatBytes) : unpacked, floatBytes, true);
    }
    const stored = integers(tile);
    if (!floats) return blank === undefined ? stored : Float64Array.from(stored, (v) => (v === blank ? NaN : v));
    const scale = tile.number("ZSCALE", header.number("ZSCALE") ?? 1);
    const zero = tile.number("ZZERO", header.number("ZZERO") ?? 0);
    const tileBlank = tile.number("ZBLANK", blank ?? NaN);
    return restore(stored, scale, zero, tileBlank, dither, random, tile.index + ditherSeed - 1);
  };
}

function headerHasColumn(header: FitsHeader, name: string): boolean {
  return header.cards.some(({ keyword, value }) => /^TTYPE\d+$/.test(keyword) && value === name);
}

const RANDOM_COUNT = 10_000;

/**
 * The table of random numbers that writer and reader share: seed ← 16807 · seed mod (2³¹ − 1) from 1, value = seed / (2³¹ − 1);
 * the seed after 10000 steps is 1043618065. Source: FITS Standard 4.0, appendix I; Park & Miller 1988, CACM 31, 1192.
 */
export function ditherTable(): Float64Array {
  const table = new Float64Array(RANDOM_COUNT);
  let seed = 1;
  for (let i = 0; i < RANDOM_COUNT; i++) {
    seed = (seed * 16807) % 2147483647;
    table[i] = seed / 2147483647;
  }
  return table;
}

/** Stored integer that means exactly 0 under SUBTRACTIVE_DITHER_2. */
const EXACT_ZERO = -2147483646;

/** Floats from quantised integers; the random offset that the writer added is taken off again (10.2). */
function restore(
  stored: ArrayLike<number>,
  scale: number,
  zero: number,
  blank: number,
  dither: string,
  random: Float64Array,
  firstRow: number,
): Float64Array {
  const out = new Float64Array(stored.length);
  if (!dither.startsWith("SUBTRACTIVE_DITHER")) {
    for (let i = 0; i < out.length; i++) out[i] = stored[i] === blank ? NaN : stored[i] * scale + zero;
    return out;
  }
  const zeroKept = dither === "SUBTRACTIVE_DITHER_2";
  let row = ((firstRow % RANDOM_COUNT) + RANDOM_COUNT) % RANDOM_COUNT;
  let next = Math.floor(random[row] * 500);
  for (let i = 0; i < out.length; i++) {
    const v = stored[i];
    out[i] = v === blank ? NaN : zeroKept && v === EXACT_ZERO ? 0 : (v - random[next] + 0.5) * scale + zero;
    if (++next === RANDOM_COUNT) {
      row = (row + 1) % RANDOM_COUNT;
      next = Math.floor(random[row] * 500);
    }
  }
  return out;
}

/** GZIP_2 stores all first bytes, then all second ones, … (10.4.2). */
function unshuffle(bytes: Uint8Array, size: number): Uint8Array {
  const count = bytes.length / size;
  const out = new Uint8Array(bytes.length);
  for (let b = 0; b < size; b++) for (let i = 0; i < count; i++) out[i * size + b] = bytes[b * count + i];
  return out;
}

function numbersOf(bytes: Uint8Array, size: number, floats: boolean): Float64Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const count = Math.floor(bytes.length / size);
  const out = new Float64Array(count);
  for (let i = 0; i < count; i++)
    out[i] = floats
      ? size === 8
        ? view.getFloat64(i * 8)
        : view.getFloat32(i * 4)
      : size === 1
        ? bytes[i]
        : size === 2
          ? view.getInt16(i * 2)
          : size === 4
            ? view.getInt32(i * 4)
            : Number(view.getBigInt64(i * 8));
  return out;
}
