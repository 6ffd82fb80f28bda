import type { Raster, Region } from "../../raster";
import { checkInside, createRaster, cropRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import { metadataOfCards } from "../metadata";
import type { Card } from "../card";
import type { PictureFile } from "../picture";
import { onlyFrame } from "../picture";
import { FormatError } from "../problem";
import type { TiffDirectory } from "./directory";
import { COMPRESSIONS, decompress, unpredictInPlace } from "./decompress";
import { readDirectory, TAG } from "./directory";

/**
 * TIFF 6.0, classic: 8, 16 and 32-bit integers and 32-bit floats, grey and RGB (further channels are left out), strips and
 * tiles, uncompressed or with LZW, deflate or PackBits and either predictor. Our own reader: packages (geotiff is the
 * other reader of the tests) grow without bound on damaged data.
 */
export async function open(bytes: ByteSource, progress?: (fraction: number) => void): Promise<PictureFile> {
  const directory = await readDirectory(bytes);
  const { width, height, bits, kind, compression, photometric, samplesPerPixel } = directory;
  if (!(compression in COMPRESSIONS))
    throw new FormatError(
      bytes.name,
      "unsupported",
      "tag 259",
      "no compression, LZW, deflate or PackBits",
      `compression ${compression}`,
      "Save it without compression.",
    );
  const channels = photometric === 2 ? 3 : 1;
  if (samplesPerPixel < channels)
    throw new FormatError(
      bytes.name,
      "damaged",
      "tag 277",
      "3 samples for an RGB pixel",
      String(samplesPerPixel),
      "Save it again.",
    );
  // Floats and integers of 32 bits keep their own numbers, as in FITS files.
  const fullScale = kind === "float" || bits === 32 ? 1 : 2 ** (kind === "signed" ? bits - 1 : bits) - 1;
  const white = bits === 32 ? 2 ** (kind === "signed" ? 31 : 32) - 1 : 1;
  const finish = (raster: Raster): Raster => (photometric === 0 && kind !== "float" ? inverted(raster, white) : raster);
  let unpacked: Promise<Raster> | null = null;
  const read = async (region: Region): Promise<Raster> => {
    checkInside(region, { width, height }, bytes.name);
    if (compression === 1) return finish(await readPlain(bytes, directory, region, channels, fullScale));
    unpacked ??= unpack(bytes, directory, channels, fullScale, progress);
    return cropRaster(finish(await unpacked), region);
  };
  const cards = cardsOf(directory, COMPRESSIONS[compression]);
  return {
    format: "tiff",
    frames: 1,
    width,
    height,
    channels,
    fullScale,
    cards,
    bitpix: kind === "float" ? -bits : bits,
    metadata: metadataOfCards(cards),
    randomAccess: compression === 1,
    frame: onlyFrame({ width, height, channels, read }),
    turned: false,
    notes: [],
    timeOf: () => null,
  };
}

const inverted = (raster: Raster, white: number): Raster => ({
  ...raster,
  planes: raster.planes.map((plane) => plane.map((v) => white - v)),
});

function cardsOf(directory: TiffDirectory, compression: string): Card[] {
  const { width, height, bits, kind, samplesPerPixel, tiled, texts } = directory;
  const card = (keyword: string, value: Card["value"], comment = ""): Card => ({ keyword, value, comment });
  const named: [number, string][] = [
    [TAG.description, "ImageDescription"],
    [TAG.make, "Make"],
    [TAG.model, "Model"],
    [TAG.software, "Software"],
    [TAG.dateTime, "DateTime"],
  ];
  return [
    card("ImageWidth", width),
    card("ImageLength", height),
    card("BitsPerSample", bits),
    card("SampleFormat", kind),
    card("SamplesPerPixel", samplesPerPixel),
    card("Compression", compression),
    card("Organisation", tiled ? "tiles" : "strips"),
    ...named.flatMap(([tag, name]) => (texts.has(tag) ? [card(name, texts.get(tag) ?? "")] : [])),
  ];
}

/** Only the rows and columns of the blocks that the region touches are read. */
async function readPlain(
  bytes: ByteSource,
  directory: TiffDirectory,
  region: Region,
  channels: number,
  fullScale: number,
): Promise<Raster> {
  const { width, height, blockWidth, blockHeight, samplesPerPixel, planar, bits, offsets, littleEndian } = directory;
  const out = createRaster(region.width, region.height, channels);
  const across = Math.ceil(width / blockWidth);
  const down = Math.ceil(height / blockHeight);
  const sampleBytes = bits / 8;
  const inPixel = planar ? 1 : samplesPerPixel;
  const sample = sampleReader(directory);
  const firstRow = Math.floor(region.y / blockHeight);
  const lastRow = Math.floor((region.y + region.height - 1) / blockHeight);
  const firstColumn = Math.floor(region.x / blockWidth);
  const lastColumn = Math.floor((region.x + region.width - 1) / blockWidth);
  for (let plane = 0; plane < (planar ? channels : 1); plane++)
    for (let j = firstRow; j <= lastRow; j++)
      for (let i = firstColumn; i <= lastColumn; i++) {
        const y0 = Math.max(region.y, j * blockHeight);
        const y1 = Math.min(region.y + region.height, (j + 1) * blockHeight, height);
        const x0 = Math.max(region.x, i * blockWidth);
        const x1 = Math.min(region.x + region.width, (i + 1) * blockWidth, width);
        if (x1 <= x0 || y1 <= y0) continue;
        const pitch = blockWidth * inPixel * sampleBytes;
        const first = (y0 - j * blockHeight) * pitch + (x0 - i * blockWidth) * inPixel * sampleBytes;
        const length = (y1 - y0 - 1) * pitch + (x1 - x0) * inPixel * sampleBytes;
        const raw = await bytes.read(offsets[(plane * down + j) * across + i] + first, length);
        const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
        for (let c = 0; c < (planar ? 1 : channels); c++) {
          const target = out.planes[planar ? plane : c];
          for (let y = y0; y < y1; y++) {
            const to = (y - region.y) * region.width + x0 - region.x;
            const from = (y - y0) * pitch + c * sampleBytes;
            for (let x = 0; x < x1 - x0; x++)
              target[to + x] = sample(view, from + x * inPixel * sampleBytes, littleEndian) / fullScale;
          }
        }
      }
  return out;
}

function sampleReader({ bits, kind }: TiffDirectory): (view: DataView, at: number, little: boolean) => number {
  if (kind === "float")
    return (view, at, little) => {
      const v = view.getFloat32(at, little);
      return v - v === 0 ? v : NaN;
    };
  if (kind === "signed")
    return bits === 8
      ? (view, at) => view.getInt8(at)
      : bits === 16
        ? (view, at, little) => view.getInt16(at, little)
        : (view, at, little) => view.getInt32(at, little);
  return bits === 8
    ? (view, at) => view.getUint8(at)
    : bits === 16
      ? (view, at, little) => view.getUint16(at, little)
      : (view, at, little) => view.getUint32(at, little);
}

/**
 * Decodes the whole picture. Blocks are decoded before the picture is allocated, so that a damaged header cannot claim more
 * than there is.
 */
async function unpack(
  bytes: ByteSource,
  directory: TiffDirectory,
  channels: number,
  fullScale: number,
  progress?: (fraction: number) => void,
): Promise<Raster> {
  const { width, height, blockWidth, blockHeight, tiled, samplesPerPixel, planar, bits, offsets, byteCounts } =
    directory;
  const across = Math.ceil(width / blockWidth);
  const down = Math.ceil(height / blockHeight);
  const inPixel = planar ? 1 : samplesPerPixel;
  const count = across * down * (planar ? channels : 1);
  const blocks: Uint8Array[] = [];
  for (let n = 0; n < count; n++) {
    const row = Math.floor(n / across) % down;
    const rows = tiled ? blockHeight : Math.min(blockHeight, height - row * blockHeight);
    try {
      const packed = await bytes.read(offsets[n], byteCounts[n]);
      const block = decompress(packed, directory.compression, (rows * blockWidth * inPixel * bits) / 8);
      unpredictInPlace(block, directory, blockWidth * inPixel, inPixel);
      blocks.push(block);
    } catch (error) {
      const found = error instanceof Error ? error.message : String(error);
      const where = `strip or tile ${n + 1}`;
      throw new FormatError(
        bytes.name,
        "damaged",
        where,
        "compressed data that can be read",
        found,
        "Copy the file again.",
      );
    }
    progress?.((n + 1) / count);
  }
  const out = createRaster(width, height, channels);
  const sample = sampleReader(directory);
  blocks.forEach((block, n) => {
    const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
    const x0 = (n % across) * blockWidth;
    const y0 = (Math.floor(n / across) % down) * blockHeight;
    const plane = planar ? Math.floor(n / across / down) : 0;
    const w = Math.min(blockWidth, width - x0);
    const h = Math.min(blockHeight, height - y0);
    for (let c = 0; c < (planar ? 1 : channels); c++) {
      const target = out.planes[plane + c];
      for (let y = 0; y < h; y++)
        for (let x = 0; x < w; x++)
          target[(y0 + y) * width + x0 + x] =
            sample(view, (((y * blockWidth + x) * inPixel + c) * bits) / 8, directory.littleEndian) / fullScale;
    }
  });
  return out;
}
