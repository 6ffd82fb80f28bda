import type { ByteSource } from "../bytes";
import { FormatError, mayHold } from "../problem";

/** What the first directory of a TIFF file says, checked against the size of the file. */
export interface TiffDirectory {
  littleEndian: boolean;
  width: number;
  height: number;
  samplesPerPixel: number;
  bits: 8 | 16 | 32;
  kind: "unsigned" | "signed" | "float";
  compression: number;
  predictor: number;
  photometric: number;
  planar: boolean;
  /** Size of a strip or tile in px. */
  blockWidth: number;
  blockHeight: number;
  tiled: boolean;
  offsets: number[];
  byteCounts: number[];
  texts: Map<number, string>;
}

/** Tags of TIFF 6.0 (1992), and SampleFormat of section 19. */
export const TAG = {
  width: 256,
  height: 257,
  bits: 258,
  compression: 259,
  photometric: 262,
  description: 270,
  make: 271,
  model: 272,
  stripOffsets: 273,
  samplesPerPixel: 277,
  rowsPerStrip: 278,
  stripByteCounts: 279,
  planar: 284,
  software: 305,
  dateTime: 306,
  predictor: 317,
  tileWidth: 322,
  tileHeight: 323,
  tileOffsets: 324,
  tileByteCounts: 325,
  sampleFormat: 339,
} as const;

const TYPE_BYTES: Record<number, number> = {
  1: 1,
  2: 1,
  3: 2,
  4: 4,
  5: 8,
  6: 1,
  7: 1,
  8: 2,
  9: 4,
  10: 8,
  11: 4,
  12: 8,
  16: 8,
};
const COPY = "The file is damaged or cut short; copy it again.";

/**
 * Reads and checks the first directory of a classic TIFF file. Nothing larger than the file is allocated; blocks that lie past
 * its end, and pictures that their blocks cannot hold, are refused. Throws FormatError.
 * Source: TIFF revision 6.0 (1992), sections 2, 8, 15, 19.
 */
export async function readDirectory(bytes: ByteSource): Promise<TiffDirectory> {
  const file = bytes.name;
  const wrong = (where: string, expected: string, found: string, advice = COPY) =>
    new FormatError(file, "damaged", where, expected, found, advice);
  if (bytes.size < 8)
    throw new FormatError(file, "truncated", "byte 0", "a TIFF header of 8 bytes", `${bytes.size} bytes`, COPY);
  const start = viewOf(await bytes.read(0, 8));
  const order = start.getUint16(0);
  const littleEndian = order === 0x4949;
  const magic = start.getUint16(2, littleEndian);
  if ((order !== 0x4949 && order !== 0x4d4d) || magic !== 42)
    throw new FormatError(
      file,
      magic === 43 ? "unsupported" : "not-this-format",
      "byte 2",
      "the number 42 of a TIFF file",
      String(magic),
      magic === 43 ? "Save it as a classic TIFF file of less than 4 GB." : "This is not a TIFF file.",
    );
  const at = start.getUint32(4, littleEndian);
  if (at < 8 || at + 2 > bytes.size) throw wrong("byte 4", "a directory inside the file", `offset ${at}`);
  const count = viewOf(await bytes.read(at, 2)).getUint16(0, littleEndian);
  if (count === 0 || at + 2 + 12 * count > bytes.size)
    throw wrong(`byte ${at}`, "entries inside the file", `${count} entries`);
  const raw = viewOf(await bytes.read(at + 2, 12 * count));
  const entries = new Map<number, { type: number; count: number; at: number; inline: number }>();
  for (let i = 0; i < count; i++)
    entries.set(raw.getUint16(12 * i, littleEndian), {
      type: raw.getUint16(12 * i + 2, littleEndian),
      count: raw.getUint32(12 * i + 4, littleEndian),
      at: raw.getUint32(12 * i + 8, littleEndian),
      inline: at + 2 + 12 * i + 8,
    });

  async function bytesOf(tag: number): Promise<DataView | null> {
    const entry = entries.get(tag);
    if (!entry) return null;
    const size = (TYPE_BYTES[entry.type] ?? 0) * entry.count;
    if (size === 0) throw wrong(`tag ${tag}`, "values of a known type", `type ${entry.type}, ${entry.count} values`);
    const from = size <= 4 ? entry.inline : entry.at;
    if (from + size > bytes.size) throw wrong(`tag ${tag}`, "values inside the file", `${size} bytes at ${from}`);
    return viewOf(await bytes.read(from, size));
  }
  async function numbers(tag: number): Promise<number[] | null> {
    const view = await bytesOf(tag);
    const entry = entries.get(tag);
    if (!view || !entry) return null;
    const width = TYPE_BYTES[entry.type];
    if (![1, 3, 4].includes(entry.type)) throw wrong(`tag ${tag}`, "whole numbers", `type ${entry.type}`);
    return Array.from({ length: entry.count }, (_, i) =>
      width === 1
        ? view.getUint8(i)
        : width === 2
          ? view.getUint16(2 * i, littleEndian)
          : view.getUint32(4 * i, littleEndian),
    );
  }
  const one = async (tag: number, fallback?: number): Promise<number> => {
    const value = (await numbers(tag))?.[0] ?? fallback;
    if (value === undefined) throw wrong(`tag ${tag}`, "a value", "none");
    return value;
  };

  const width = await one(TAG.width);
  const height = await one(TAG.height);
  if (width < 1 || height < 1 || width > 1 << 20 || height > 1 << 20)
    throw wrong("tags 256 and 257", "a size of 1 to 1048576 px", `${width}×${height}`);
  const samplesPerPixel = await one(TAG.samplesPerPixel, 1);
  const allBits = (await numbers(TAG.bits)) ?? [1];
  const allKinds = (await numbers(TAG.sampleFormat)) ?? [1];
  const bits = allBits[0];
  if (
    ![8, 16, 32].includes(bits) ||
    allBits.some((b) => b !== bits) ||
    ![1, 2, 3].includes(allKinds[0]) ||
    (allKinds[0] === 3 && bits !== 32)
  )
    throw new FormatError(
      file,
      "unsupported",
      "tags 258 and 339",
      "8, 16 or 32 bits a sample, or 32-bit floats, alike in all channels",
      `${allBits.slice(0, 4).join(", ")} bits, sample format ${allKinds[0]}`,
      "Save it with 16-bit or 32-bit float samples.",
    );
  const photometric = await one(TAG.photometric, 1);
  if (![0, 1, 2].includes(photometric) || samplesPerPixel < 1 || samplesPerPixel > 5)
    throw new FormatError(
      file,
      "unsupported",
      "tags 262 and 277",
      "a grey or RGB picture",
      `photometric interpretation ${photometric}, ${samplesPerPixel} samples a pixel`,
      "Save it as grey or RGB.",
    );
  const tiled = entries.has(TAG.tileOffsets);
  const offsets = (await numbers(tiled ? TAG.tileOffsets : TAG.stripOffsets)) ?? [];
  const byteCounts = (await numbers(tiled ? TAG.tileByteCounts : TAG.stripByteCounts)) ?? [];
  const blockWidth = tiled ? await one(TAG.tileWidth) : width;
  const blockHeight = tiled ? await one(TAG.tileHeight) : Math.min(height, await one(TAG.rowsPerStrip, height));
  if (blockWidth < 1 || blockHeight < 1 || blockWidth > 1 << 16 || blockHeight > 1 << 20)
    throw wrong("size of the strips or tiles", "1 px or more", `${blockWidth}×${blockHeight}`);
  const planar = (await one(TAG.planar, 1)) === 2;
  const blocks = Math.ceil(width / blockWidth) * Math.ceil(height / blockHeight) * (planar ? samplesPerPixel : 1);
  if (offsets.length !== blocks || byteCounts.length !== blocks)
    throw wrong(
      "offsets of the strips or tiles",
      `${blocks} of them`,
      `${offsets.length} offsets, ${byteCounts.length} sizes`,
    );
  const compression = await one(TAG.compression, 1);
  const blockBytes = blockWidth * blockHeight * (bits / 8) * (planar ? 1 : samplesPerPixel);
  for (let i = 0; i < blocks; i++) {
    if (offsets[i] + byteCounts[i] > bytes.size)
      throw new FormatError(
        file,
        "truncated",
        `strip or tile ${i + 1}`,
        "data inside the file",
        `${byteCounts[i]} bytes at ${offsets[i]} of ${bytes.size}`,
        COPY,
      );
    // No compression of TIFF gains more than deflate's 1032 : 1.
    if (compression !== 1 && blockBytes > 1100 * (byteCounts[i] + 64))
      throw wrong(`strip or tile ${i + 1}`, `data for ${blockBytes} bytes`, `${byteCounts[i]} bytes`);
    if (compression === 1) {
      const rows = tiled
        ? blockHeight
        : Math.min(blockHeight, height - (i % Math.ceil(height / blockHeight)) * blockHeight);
      const least = (blockBytes / blockHeight) * rows;
      if (byteCounts[i] < least) throw wrong(`strip or tile ${i + 1}`, `${least} bytes`, `${byteCounts[i]}`);
    }
  }
  const packed = byteCounts.reduce((sum, count) => sum + count, 0);
  if (packed > bytes.size)
    throw wrong(
      "sizes of the strips or tiles",
      `${bytes.size} bytes in all, each part of the file once`,
      String(packed),
    );
  if (compression !== 1 && !mayHold(width * height * samplesPerPixel * (bits / 8), packed))
    throw wrong("the size", "a picture that its data can hold", `${width}×${height} in ${packed} bytes`);
  const texts = new Map<number, string>();
  for (const tag of [TAG.description, TAG.make, TAG.model, TAG.software, TAG.dateTime]) {
    if (entries.get(tag)?.type !== 2) continue;
    const view = await bytesOf(tag);
    if (view) texts.set(tag, asciiOf(view));
  }
  return {
    littleEndian,
    width,
    height,
    samplesPerPixel,
    bits: bits as 8 | 16 | 32,
    kind: (["unsigned", "signed", "float"] as const)[allKinds[0] - 1],
    compression,
    predictor: await one(TAG.predictor, 1),
    photometric,
    planar,
    blockWidth,
    blockHeight,
    tiled,
    offsets,
    byteCounts,
    texts,
  };
}

function viewOf(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

function asciiOf(view: DataView): string {
  let text = "";
  for (let i = 0; i < view.byteLength && view.getUint8(i) !== 0; i++) text += String.fromCharCode(view.getUint8(i));
  return text.trim();
}
