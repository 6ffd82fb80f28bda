import { decode } from "fast-png";
import { Unzlib } from "fflate";
import type { Raster, Region } from "../../raster";
import { createRaster, cropRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import { joinBytes } from "../bytes";
import { metadataOfCards } from "../metadata";
import type { Card } from "../card";
import type { PictureFile } from "../picture";
import { onlyFrame } from "../picture";
import { FormatError, mayHold } from "../problem";

const COPY = "The file is damaged or cut short; copy it again.";

/** PNG of 8 and 16 bits, grey, RGB and palette; transparency is left out. Package: fast-png, with its checksums on. */
export async function open(bytes: ByteSource): Promise<PictureFile> {
  const checked = await checkChunks(bytes);
  const { width, height, depth, colour } = checked;
  const channels = colour === 2 || colour === 3 ? 3 : 1;
  const fullScale = depth === 16 ? 65535 : 255;
  const cards: Card[] = [
    { keyword: "Width", value: width, comment: "" },
    { keyword: "Height", value: height, comment: "" },
    { keyword: "BitDepth", value: depth, comment: "" },
    { keyword: "ColourType", value: colour, comment: "ISO/IEC 15948, 11.2.2" },
  ];
  let unpacked: Promise<Raster> | null = null;
  const read = async (region: Region): Promise<Raster> => {
    unpacked ??= unpack(bytes, checked, channels, fullScale);
    return cropRaster(await unpacked, region);
  };
  return {
    format: "png",
    frames: 1,
    width,
    height,
    channels,
    bitpix: depth,
    fullScale,
    cards,
    metadata: metadataOfCards(cards),
    randomAccess: false,
    frame: onlyFrame({ width, height, channels, read }),
    turned: false,
    notes: [],
    timeOf: () => null,
  };
}

interface Checked {
  width: number;
  height: number;
  depth: number;
  colour: number;
  /** Where the compressed data lie. */
  pieces: { at: number; length: number }[];
  /** Where the chunks lie that pixels are made of, with their names and checksums. */
  needed: { at: number; length: number }[];
}

/** Walks the chunks: their sizes must fit the file, and the picture must fit its data, before anything is unpacked. */
async function checkChunks(bytes: ByteSource): Promise<Checked> {
  const file = bytes.name;
  if (bytes.size < 45)
    throw new FormatError(file, "truncated", "byte 0", "a PNG of at least 45 bytes", `${bytes.size} bytes`, COPY);
  const head = await bytes.read(0, 33);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const [width, height, depth, colour] = [view.getUint32(16), view.getUint32(20), head[24], head[25]];
  if (
    String.fromCharCode(...head.subarray(12, 16)) !== "IHDR" ||
    width < 1 ||
    height < 1 ||
    width > 1 << 20 ||
    height > 1 << 20
  )
    throw new FormatError(
      file,
      "damaged",
      "byte 12",
      "a header chunk with a size of 1 to 1048576 px",
      `${width}×${height}`,
      COPY,
    );
  if ((depth !== 8 && depth !== 16) || ![0, 2, 3, 4, 6].includes(colour))
    throw new FormatError(
      file,
      "unsupported",
      "byte 24",
      "8 or 16 bits a sample, grey or colour",
      `${depth} bits, colour type ${colour}`,
      "Save it with 8 or 16 bits a sample.",
    );
  let at = 8;
  let data = 0;
  const pieces: { at: number; length: number }[] = [];
  const needed: { at: number; length: number }[] = [];
  for (let ended = false; !ended;) {
    if (at + 12 > bytes.size)
      throw new FormatError(file, "truncated", `byte ${at}`, "the chunk IEND", "the end of the file", COPY);
    const chunk = await bytes.read(at, 8);
    const length = new DataView(chunk.buffer, chunk.byteOffset, 8).getUint32(0);
    const name = String.fromCharCode(...chunk.subarray(4));
    if (at + 12 + length > bytes.size)
      throw new FormatError(
        file,
        "truncated",
        `byte ${at}`,
        `${length} bytes of chunk ${JSON.stringify(name)}`,
        `${bytes.size - at - 12}`,
        COPY,
      );
    if (name === "IDAT") {
      data += length;
      pieces.push({ at: at + 8, length });
    }
    if (["IHDR", "PLTE", "IDAT", "IEND"].includes(name)) needed.push({ at, length: 12 + length });
    ended = name === "IEND";
    at += 12 + length;
  }
  const samples = colour === 2 ? 3 : colour === 6 ? 4 : colour === 4 ? 2 : 1;
  if (!mayHold(width * height * samples * (depth / 8), data))
    throw new FormatError(
      file,
      "damaged",
      "byte 16",
      "a picture that its data can hold",
      `${width}×${height} in ${data} bytes`,
      COPY,
    );
  return { width, height, depth, colour, pieces, needed };
}

/**
 * Unpacks the data without keeping them: they must hold the picture that the header claims, to a tenth (interlacing adds a little),
 * before anything of its size is allocated. Throws Error.
 */
async function checkData(bytes: ByteSource, { width, height, depth, colour, pieces }: Checked): Promise<void> {
  const samples = colour === 2 ? 3 : colour === 6 ? 4 : colour === 4 ? 2 : 1;
  const expected = height * (1 + width * samples * (depth / 8));
  let count = 0;
  const stream = new Unzlib((chunk) => {
    count += chunk.length;
    if (count > 1.1 * expected + 64) throw new Error(`more than ${expected} bytes of pixel data`);
  });
  // Piece by piece: what one of them unpacks to is held at once.
  for (const [i, { at, length }] of pieces.entries())
    for (let from = 0; from < length || (from === 0 && length === 0); from += PIECE) {
      const end = Math.min(length, from + PIECE);
      stream.push(await bytes.read(at + from, end - from), i === pieces.length - 1 && end === length);
    }
  if (count < expected) throw new Error(`${count} of ${expected} bytes of pixel data`);
}

/** Bytes of compressed data that are unpacked at once. */
const PIECE = 16384;

/** The file without the chunks that are not needed for its pixels (texts, profiles), which the package would unpack whatever their size. */
async function withoutSideChunks(bytes: ByteSource, { needed }: Checked): Promise<Uint8Array> {
  const parts = [await bytes.read(0, 8)];
  for (const { at, length } of needed) parts.push(await bytes.read(at, length));
  return joinBytes(parts);
}

async function unpack(bytes: ByteSource, checked: Checked, channels: number, fullScale: number): Promise<Raster> {
  const { width, height } = checked;
  try {
    await checkData(bytes, checked);
    const png = decode(await withoutSideChunks(bytes, checked), { checkCrc: true });
    if (png.width !== width || png.height !== height) throw new Error(`a picture of ${png.width}×${png.height}`);
    const out = createRaster(width, height, channels);
    const { data, palette } = png;
    for (let c = 0; c < channels; c++) {
      const plane = out.planes[c];
      if (palette)
        for (let i = 0; i < plane.length; i++) {
          const entry = palette[data[i]];
          if (!entry) throw new Error(`colour ${data[i]} of a palette of ${palette.length}`);
          plane[i] = entry[c] / 255;
        }
      else for (let i = 0; i < plane.length; i++) plane[i] = data[i * png.channels + c] / fullScale;
    }
    return out;
  } catch (error) {
    throw new FormatError(
      bytes.name,
      "damaged",
      "the picture data",
      "a valid PNG",
      error instanceof Error ? error.message : String(error),
      COPY,
    );
  }
}
