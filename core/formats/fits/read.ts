import type { FrameSource, Raster, Region } from "../../raster";
import { createRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import type { Result } from "../problem";
import { FormatError } from "../problem";
import type { FitsHeader } from "./header";
import { BLOCK, headerOf, parseCards } from "./header";

export type Bitpix = 8 | 16 | 32 | -32 | -64;

/** An image in a FITS file: 2-D, or a cube of three planes; read by rows. */
export interface FitsFrame extends FrameSource {
  readonly header: FitsHeader;
  readonly bitpix: Bitpix;
  /** Physical value that becomes 1.0 in a Raster: the full scale of the stored integers; 1 for floats. */
  readonly fullScale: number;
}

const MAX_HEADER_BLOCKS = 1000;

/**
 * Opens the first image of a FITS file (primary header). Nothing but the header is read; a data size larger than the
 * file is refused before anything is allocated. Integers are scaled so that full scale is 1 (8-bit 255, unsigned 16-bit
 * 65535, unsigned 32-bit 4294967295, otherwise the largest signed value times BSCALE); BLANK becomes NaN.
 * Source: FITS Standard 4.0 (2018), sections 3.3, 4.4 and 5.
 */
export async function openFits(bytes: ByteSource): Promise<Result<FitsFrame>> {
  try {
    return { ok: true, value: await open(bytes) };
  } catch (error) {
    if (error instanceof FormatError) return { ok: false, reason: error };
    throw error;
  }
}

async function open(bytes: ByteSource): Promise<FitsFrame> {
  const file = bytes.name;
  if (bytes.size < BLOCK)
    throw new FormatError(
      file,
      bytes.size === 0 ? "truncated" : "not-this-format",
      "byte 0",
      "a FITS header of at least 2880 bytes",
      `${bytes.size} bytes`,
      "Copy the file again from the camera or the disk it came from.",
    );
  const { header, dataStart } = await readHeader(bytes);
  const integer = (keyword: string, least: number, most: number): number => {
    const value = header.number(keyword);
    if (value === undefined || !Number.isInteger(value) || value < least || value > most)
      throw new FormatError(
        file,
        "damaged",
        `card ${keyword}`,
        `a whole number from ${least} to ${most}`,
        value === undefined ? "no such card" : String(value),
        "The header is damaged; export the frame again.",
      );
    return value;
  };
  const bitpix = integer("BITPIX", -64, 64) as Bitpix;
  if (![8, 16, 32, -32, -64].includes(bitpix))
    throw new FormatError(
      file,
      "unsupported",
      "card BITPIX",
      "8, 16, 32, -32 or -64",
      String(bitpix),
      "Save the frame with 16-bit integer or 32-bit float samples.",
    );
  const naxis = integer("NAXIS", 0, 999);
  if (naxis === 0)
    throw new FormatError(
      file,
      "no-image",
      "card NAXIS",
      "an image of 2 axes, or 3 with three planes",
      "0 (no data in the primary header)",
      "Export the picture as the primary image of the file.",
    );
  const axes = Array.from({ length: naxis }, (_, i) => integer(`NAXIS${i + 1}`, 1, 1 << 20));
  const planes = axes.slice(2).reduce((product, n) => product * n, 1);
  if (naxis < 2 || (planes !== 1 && planes !== 3))
    throw new FormatError(
      file,
      "unsupported",
      "card NAXIS",
      "2 axes, or 3 with one or three planes",
      axes.join(" × "),
      "Save each picture of the cube as a file of its own.",
    );
  const [width, height] = axes;
  const sampleBytes = Math.abs(bitpix) / 8;
  const needed = width * height * planes * sampleBytes;
  if (dataStart + needed > bytes.size)
    throw new FormatError(
      file,
      "truncated",
      `byte ${bytes.size}`,
      `${needed} bytes of data for ${axes.join(" × ")} at ${Math.abs(bitpix)} bits`,
      `${Math.max(0, bytes.size - dataStart)} bytes`,
      "The file is cut short; copy it again.",
    );
  const bscale = header.number("BSCALE") ?? 1;
  const bzero = header.number("BZERO") ?? 0;
  const blank = bitpix > 0 ? header.number("BLANK") : undefined;
  const fullScale = fullScaleOf(bitpix, bscale, bzero);
  const decode = decoderOf(bitpix, bscale / fullScale, bzero / fullScale, blank);

  async function read(region: Region): Promise<Raster> {
    if (region.x < 0 || region.y < 0 || region.x + region.width > width || region.y + region.height > height)
      throw new RangeError(`${file}: region ${JSON.stringify(region)} must lie inside ${width}×${height}`);
    const out = createRaster(region.width, region.height, planes);
    if (region.width === 0 || region.height === 0) return out;
    for (let c = 0; c < planes; c++) {
      const first = (c * height + region.y) * width + region.x;
      const span = (region.height - 1) * width + region.width;
      const raw = await bytes.read(dataStart + first * sampleBytes, span * sampleBytes);
      const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
      for (let y = 0; y < region.height; y++)
        decode(view, y * width * sampleBytes, out.planes[c], y * region.width, region.width);
    }
    return out;
  }

  return { width, height, channels: planes, header, bitpix, fullScale, read };
}

async function readHeader(bytes: ByteSource): Promise<{ header: FitsHeader; dataStart: number }> {
  const file = bytes.name;
  const cards = [];
  for (let block = 0; block < MAX_HEADER_BLOCKS && (block + 1) * BLOCK <= bytes.size; block++) {
    const raw = await bytes.read(block * BLOCK, BLOCK);
    if (block === 0 && String.fromCharCode(...raw.subarray(0, 9)) !== "SIMPLE  =")
      throw new FormatError(
        file,
        "not-this-format",
        "byte 0",
        "the card SIMPLE",
        JSON.stringify(String.fromCharCode(...raw.subarray(0, 9).map((b) => (b >= 32 && b < 127 ? b : 46)))),
        "This is not a FITS file; choose frames saved as FITS.",
      );
    const control = raw.findIndex((b) => b < 0x20 || b > 0x7e);
    const { cards: more, ended } = parseCards(raw);
    const endAt = ended ? (more.length + 1) * 80 : BLOCK;
    if (control >= 0 && control < endAt)
      throw new FormatError(
        file,
        "damaged",
        `byte ${block * BLOCK + control}`,
        "printable ASCII in the header (FITS Standard 4.0, 3.2)",
        `0x${raw[control].toString(16).padStart(2, "0")}`,
        "The header is damaged; copy the file again.",
      );
    cards.push(...more);
    if (ended) return { header: headerOf(file, cards), dataStart: (block + 1) * BLOCK };
  }
  throw new FormatError(
    file,
    "damaged",
    "header",
    "the card END",
    "none in the file",
    "The header is cut short; copy the file again.",
  );
}

function fullScaleOf(bitpix: Bitpix, bscale: number, bzero: number): number {
  if (bitpix < 0) return 1;
  if (bitpix === 8) return 255 * Math.abs(bscale || 1);
  const half = 2 ** (bitpix - 1);
  const unsigned = bzero === half * bscale;
  return (unsigned ? 2 * half - 1 : half - 1) * Math.abs(bscale || 1);
}

type Decode = (view: DataView, at: number, out: Float32Array, to: number, count: number) => void;

/** Samples are stored most significant byte first (FITS Standard 4.0, 5). value = stored × scale + zero. */
function decoderOf(bitpix: Bitpix, scale: number, zero: number, blank: number | undefined): Decode {
  const from: Record<Bitpix, (view: DataView, at: number) => number> = {
    8: (view, at) => view.getUint8(at),
    16: (view, at) => view.getInt16(at, false),
    32: (view, at) => view.getInt32(at, false),
    [-32]: (view, at) => view.getFloat32(at, false),
    [-64]: (view, at) => view.getFloat64(at, false),
  };
  if (bitpix === 16 && blank === undefined)
    return (view, at, out, to, count) => {
      for (let i = 0; i < count; i++) out[to + i] = view.getInt16(at + 2 * i, false) * scale + zero;
    };
  if (bitpix === -32)
    return (view, at, out, to, count) => {
      for (let i = 0; i < count; i++) out[to + i] = view.getFloat32(at + 4 * i, false) * scale + zero;
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
