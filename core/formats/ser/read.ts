import type { Raster, Region } from "../../raster";
import { checkInside, createRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import type { CfaPattern } from "../metadata";
import { metadataOfCards } from "../metadata";
import type { Card } from "../card";
import type { PictureFile } from "../picture";
import { FormatError } from "../problem";
import { SER_HEADER_BYTES, SER_TICKS_TO_1970 } from "./layout";

/** ColorID of the format: mono, mosaics as they begin at the top left, and colour with its order of channels. */
const COLOURS: Record<number, { channels: 1 | 3; cfa: CfaPattern | null; order: [number, number, number] }> = {
  0: { channels: 1, cfa: null, order: [0, 0, 0] },
  8: { channels: 1, cfa: "RGGB", order: [0, 0, 0] },
  9: { channels: 1, cfa: "GRBG", order: [0, 0, 0] },
  10: { channels: 1, cfa: "GBRG", order: [0, 0, 0] },
  11: { channels: 1, cfa: "BGGR", order: [0, 0, 0] },
  100: { channels: 3, cfa: null, order: [0, 1, 2] },
  101: { channels: 3, cfa: null, order: [2, 1, 0] },
};

const COPY = "The file is damaged or cut short; copy it again.";

/**
 * Opens a SER video. The flag of the byte order is written both ways round by the trade (common practice), so for samples of
 * more than 8 bits the first frame decides: the order in which neighbours differ less; the flag, as the format's
 * description has it (0: most significant byte first), counts where that says nothing.
 * Source: the published description of SER, version 3 (fields and sizes from memory; checked only by files made in the tests).
 */
export async function open(bytes: ByteSource): Promise<PictureFile> {
  const file = bytes.name;
  if (bytes.size < SER_HEADER_BYTES)
    throw new FormatError(
      file,
      "truncated",
      "byte 0",
      `a header of ${SER_HEADER_BYTES} bytes`,
      `${bytes.size} bytes`,
      COPY,
    );
  const head = await bytes.read(0, SER_HEADER_BYTES);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const [colourId, order, width, height, depth, claimed] = [18, 22, 26, 30, 34, 38].map((at) =>
    view.getInt32(at, true),
  );
  const colour = COLOURS[colourId];
  if (!colour)
    throw new FormatError(
      file,
      colourId >= 12 && colourId <= 19 ? "unsupported" : "damaged",
      "byte 18 (ColorID)",
      "0 (mono), 8 to 11 (Bayer), 100 (RGB) or 101 (BGR)",
      String(colourId),
      "Record it as mono, Bayer or RGB.",
    );
  if (width < 1 || height < 1 || width > 65536 || height > 65536)
    throw new FormatError(file, "damaged", "byte 26", "a size of 1 to 65536 px", `${width}×${height}`, COPY);
  if (depth < 1 || depth > 16)
    throw new FormatError(file, "damaged", "byte 34 (bits a sample)", "1 to 16", String(depth), COPY);
  const sampleBytes = depth > 8 ? 2 : 1;
  const { channels } = colour;
  const frameBytes = width * height * channels * sampleBytes;
  const there = Math.floor((bytes.size - SER_HEADER_BYTES) / frameBytes);
  if (there < 1)
    throw new FormatError(file, "truncated", `byte ${bytes.size}`, `a frame of ${frameBytes} bytes`, "none", COPY);
  // A recording that broke off, or was cut, holds whole frames all the same; writers that broke off leave a count of 0.
  const frames = claimed < 1 ? there : Math.min(claimed, there);
  const notes =
    claimed < 1
      ? [`the header counts ${claimed} frames; the ${there} whole frames of the file are read`]
      : claimed > there
        ? [`the file is cut short: ${there} of ${claimed} frames are whole, and are read`]
        : [];
  const littleEndian = sampleBytes === 1 || (await isLittleEndian(bytes, width, height, channels, order !== 0));
  const text = (at: number) =>
    String.fromCharCode(...head.subarray(at, at + 40))
      .replace(/\0.*$/s, "")
      .trim();
  const start = timeOfTicks(view.getBigInt64(170, true));
  const trailer = SER_HEADER_BYTES + frames * frameBytes;
  const times = trailer + 8 * frames <= bytes.size ? await readTimes(bytes, trailer, frames) : null;
  const firstTime = times?.[0] ?? start;
  const card = (keyword: string, value: Card["value"], comment = ""): Card => ({ keyword, value, comment });
  const cards: Card[] = [
    card("ColorID", colourId, colour.cfa ?? (channels === 3 ? "colour" : "mono")),
    card("LittleEndian", order, littleEndian ? "least significant byte first" : "most significant byte first"),
    card("ImageWidth", width, "px"),
    card("ImageHeight", height, "px"),
    card("PixelDepthPerPlane", depth, "bits"),
    card("FrameCount", claimed),
    card("OBSERVER", text(42)),
    card("INSTRUME", text(82)),
    card("TELESCOP", text(122)),
    ...(firstTime === null ? [] : [card("DATE-OBS", new Date(firstTime).toISOString().slice(0, 23), "UTC")]),
  ];
  // Samples of 9 to 15 bits lie in the low bits.
  const fullScale = 2 ** depth - 1;

  async function read(index: number, region: Region): Promise<Raster> {
    checkInside(region, { width, height }, file);
    const out = createRaster(region.width, region.height, channels);
    if (region.width === 0 || region.height === 0) return out;
    const first = (region.y * width + region.x) * channels * sampleBytes;
    const span = ((region.height - 1) * width + region.width) * channels * sampleBytes;
    const raw = await bytes.read(SER_HEADER_BYTES + index * frameBytes + first, span);
    const samples = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
    const scale = 1 / fullScale;
    for (let c = 0; c < channels; c++) {
      const plane = out.planes[c];
      const stored = colour.order[c];
      for (let y = 0, i = 0; y < region.height; y++) {
        let at = (y * width * channels + stored) * sampleBytes;
        const step = channels * sampleBytes;
        if (sampleBytes === 1) for (let x = 0; x < region.width; x++, i++, at += step) plane[i] = raw[at] * scale;
        else
          for (let x = 0; x < region.width; x++, i++, at += step)
            plane[i] = samples.getUint16(at, littleEndian) * scale;
      }
    }
    return out;
  }

  return {
    format: "ser",
    frames,
    width,
    height,
    channels,
    fullScale,
    cards,
    bitpix: sampleBytes * 8,
    metadata: { ...metadataOfCards(cards), cfa: colour.cfa },
    randomAccess: true,
    frame: (index) => {
      if (!Number.isInteger(index) || index < 0 || index >= frames)
        throw new RangeError(`frame must be 0 to ${frames - 1}, received ${index}`);
      return { width, height, channels, read: (region) => read(index, region) };
    },
    turned: false,
    notes,
    timeOf: (index) => times?.[index] ?? null,
  };
}

/** Ticks of 100 ns since year 1 as ms since 1970; null for 0 and for dates that cannot be. */
function timeOfTicks(ticks: bigint): number | null {
  const ms = Number((ticks - SER_TICKS_TO_1970) / 10_000n);
  return ticks <= 0n || Math.abs(ms) > 8.64e15 ? null : ms;
}

async function readTimes(bytes: ByteSource, at: number, frames: number): Promise<(number | null)[]> {
  const raw = await bytes.read(at, 8 * frames);
  const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
  return Array.from({ length: frames }, (_, i) => timeOfTicks(view.getBigInt64(8 * i, true)));
}

async function isLittleEndian(
  bytes: ByteSource,
  width: number,
  height: number,
  channels: number,
  flag: boolean,
): Promise<boolean> {
  const rows = Math.min(height, Math.max(1, Math.floor((1 << 20) / (width * channels * 2))));
  const raw = await bytes.read(SER_HEADER_BYTES, rows * width * channels * 2);
  const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
  // Neighbours of the same colour lie two pixels apart in a mosaic.
  const step = 4 * channels;
  const roughness = (little: boolean): number => {
    let sum = 0;
    for (let at = 0; at + step + 2 <= raw.length; at += 2)
      sum += Math.abs(view.getUint16(at + step, little) - view.getUint16(at, little));
    return sum;
  };
  const little = roughness(true);
  const big = roughness(false);
  if (little < 0.8 * big) return true;
  if (big < 0.8 * little) return false;
  return flag;
}
