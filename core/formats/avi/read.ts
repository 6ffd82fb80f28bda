import type { Raster, Region } from "../../raster";
import { checkInside, createRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import { metadataOfCards } from "../metadata";
import type { Card } from "../card";
import type { PictureFile } from "../picture";
import { FormatError } from "../problem";

const COPY = "The file is damaged or cut short; copy it again.";
const MOST_FRAMES = 1_000_000;
const MOST_CHUNKS = 4 * MOST_FRAMES;

function ascii(bytes: Uint8Array, at: number): string {
  return String.fromCharCode(...bytes.subarray(at, at + 4));
}

interface Stream {
  number: number;
  width: number;
  height: number;
  bottomUp: boolean;
  channels: 1 | 3;
  rowBytes: number;
  frameMs: number;
}

/**
 * AVI with uncompressed frames: 8-bit grey (with a grey palette or none) and 24-bit colour; also in the parts after the first
 * gigabyte (RIFF "AVIX"). Every frame and region is read at random.
 * Sources: the published RIFF and AVI file reference (chunks avih, strf, movi) and bitmap header (BITMAPINFOHEADER).
 */
export async function open(bytes: ByteSource): Promise<PictureFile> {
  const file = bytes.name;
  let stream: Stream | null = null;
  let frameMs = 0;
  let streams = -1;
  const offsets: number[] = [];
  let chunks = 0;

  async function walk(from: number, end: number, depth: number): Promise<void> {
    for (let at = from; at + 8 <= end;) {
      const head = await bytes.read(at, Math.min(12, end - at));
      const name = ascii(head, 0);
      const size = new DataView(head.buffer, head.byteOffset, head.byteLength).getUint32(4, true);
      const data = at + 8;
      // Where no chunk begins, the list ends: recorders fill the room that they set aside with zeros.
      if (!/^[\x20-\x7e]{4}$/.test(name) || ++chunks > MOST_CHUNKS) return;
      if (data + size > bytes.size)
        throw new FormatError(
          file,
          "truncated",
          `byte ${at}`,
          `${size} bytes of chunk ${JSON.stringify(name)}`,
          `${bytes.size - data}`,
          COPY,
        );
      if ((name === "RIFF" || name === "LIST") && size >= 4 && depth < 6) {
        const list = ascii(head, 8);
        if (list === "strl") streams++;
        // A list ends with the one that holds it, whatever it claims: so each byte is walked once a level.
        await walk(data + 4, Math.min(data + size, end), depth + 1);
      } else if (name === "avih" && size >= 4) {
        const raw = await bytes.read(data, 4);
        frameMs = new DataView(raw.buffer, raw.byteOffset, 4).getUint32(0, true) / 1000;
      } else if (name === "strf" && size >= 40 && !stream) {
        stream = streamOf(file, await bytes.read(data, Math.min(size, 40 + 1024)), Math.max(0, streams), frameMs);
      } else if (stream && /^\d\dd[bc]$/.test(name) && Number(name.slice(0, 2)) === stream.number) {
        const needed = stream.rowBytes * stream.height;
        if (size === needed) offsets.push(data);
        else if (size !== 0)
          throw new FormatError(file, "damaged", `byte ${at}`, `a frame of ${needed} bytes`, `${size} bytes`, COPY);
        else if (offsets.length > 0) offsets.push(offsets[offsets.length - 1]); // a dropped frame repeats the one before
        if (offsets.length > MOST_FRAMES) return;
      }
      at = data + size + (size & 1);
    }
  }
  await walk(0, bytes.size, 0);
  const found = stream as Stream | null;
  if (!found || offsets.length === 0)
    throw new FormatError(
      file,
      "no-image",
      "the whole file",
      "a video stream with frames",
      found ? "no frames" : "none",
      COPY,
    );
  const { width, height, channels, rowBytes, bottomUp } = found;
  const card = (keyword: string, value: Card["value"], comment = ""): Card => ({ keyword, value, comment });
  const cards = [
    card("Width", width, "px"),
    card("Height", height, "px"),
    card("BitCount", channels * 8),
    card("Frames", offsets.length),
    card("FrameInterval", found.frameMs, "ms"),
  ];

  async function read(index: number, region: Region): Promise<Raster> {
    checkInside(region, { width, height }, file);
    const out = createRaster(region.width, region.height, channels);
    if (region.width === 0 || region.height === 0) return out;
    const firstRow = bottomUp ? height - region.y - region.height : region.y;
    const first = firstRow * rowBytes + region.x * channels;
    const raw = await bytes.read(offsets[index] + first, (region.height - 1) * rowBytes + region.width * channels);
    for (let c = 0; c < channels; c++) {
      const plane = out.planes[c];
      const stored = channels === 3 ? 2 - c : 0; // blue lies first
      for (let y = 0; y < region.height; y++) {
        const row = bottomUp ? region.height - 1 - y : y;
        for (let x = 0; x < region.width; x++)
          plane[row * region.width + x] = raw[y * rowBytes + x * channels + stored] / 255;
      }
    }
    return out;
  }

  return {
    format: "avi",
    frames: offsets.length,
    width,
    height,
    channels,
    cards,
    bitpix: 8,
    fullScale: 255,
    metadata: metadataOfCards(cards),
    randomAccess: true,
    frame: (index) => {
      if (!Number.isInteger(index) || index < 0 || index >= offsets.length)
        throw new RangeError(`frame must be 0 to ${offsets.length - 1}, received ${index}`);
      return { width, height, channels, read: (region) => read(index, region) };
    },
    turned: false,
    notes: [],
    timeOf: () => null,
  };
}

/** A bitmap header: size, bits, compression; rows are padded to 4 bytes and lie bottom up where the height is positive. */
function streamOf(file: string, raw: Uint8Array, number: number, frameMs: number): Stream {
  const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
  const width = view.getInt32(4, true);
  const signedHeight = view.getInt32(8, true);
  const bits = view.getUint16(14, true);
  const code = view.getUint32(16, true);
  const fourCc = ascii(raw, 16);
  const grey = ["Y800", "Y8  ", "GREY"].includes(fourCc);
  const height = Math.abs(signedHeight);
  if (width < 1 || height < 1 || width > 65536 || height > 65536)
    throw new FormatError(file, "damaged", "chunk strf", "a size of 1 to 65536 px", `${width}×${signedHeight}`, COPY);
  if (!(code === 0 && (bits === 8 || bits === 24)) && !(grey && bits === 8))
    throw new FormatError(
      file,
      "unsupported",
      "chunk strf",
      "uncompressed frames of 8-bit grey or 24-bit colour",
      `${bits} bits, compression ${code === 0 ? "none" : JSON.stringify(fourCc)}`,
      "Record it uncompressed, or as SER.",
    );
  const palette = raw.subarray(40);
  for (let i = 0; bits === 8 && code === 0 && 4 * i + 2 < palette.length && i < 256; i++)
    if (palette[4 * i] !== palette[4 * i + 1] || palette[4 * i] !== palette[4 * i + 2])
      throw new FormatError(
        file,
        "unsupported",
        "chunk strf",
        "a grey palette",
        "a palette of colours",
        "Record it as 24-bit colour.",
      );
  const channels = bits === 24 ? 3 : 1;
  return {
    number,
    width,
    height,
    bottomUp: !grey && signedHeight > 0,
    channels,
    rowBytes: grey ? width : Math.ceil((width * channels) / 4) * 4,
    frameMs,
  };
}
