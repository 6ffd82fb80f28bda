import type { CreateRaster, FrameSource, Raster, Region } from "../../raster";
import { checkInside, createRaster } from "../../raster";
import type { ByteSource } from "../bytes";
import { metadataOfCards, shiftCfa } from "../metadata";
import type { PictureFile } from "../picture";
import { onlyFrame } from "../picture";
import type { Result } from "../../result";
import { FormatError, resultOf } from "../problem";
import { gunzipImage, isGzip } from "./gzip";
import type { Hdu } from "./hdu";
import { findImage, whole } from "./hdu";
import type { FitsHeader } from "./header";
import type { Bitpix } from "./samples";
import { BITPIX, decoderOf, fullScaleOf } from "./samples";
import { readTiles } from "./tiles";

/** An image in a FITS file: 2-D, or a cube of three planes. */
export interface FitsFrame extends FrameSource {
  readonly header: FitsHeader;
  readonly bitpix: Bitpix;
  /** Physical value that becomes 1.0 in a Raster: the full scale of the stored integers; 1 for floats. */
  readonly fullScale: number;
  /** False where the pixels had to be decompressed into memory. */
  readonly randomAccess: boolean;
  /** Whether rows were turned over: ROWORDER = 'BOTTOM-UP'. */
  readonly turned: boolean;
  readonly notes: readonly string[];
  /** The unpacked file, where it came gzipped and is not tiled. */
  readonly plain?: Uint8Array;
}

/** FITS Standard 4.0 (2018), plain, gzipped or with tile-compressed images. */
export const openPictureFile = async (bytes: ByteSource, progress?: (fraction: number) => void): Promise<PictureFile> =>
  pictureOf(await open(bytes, progress));

function pictureOf(frame: FitsFrame): PictureFile {
  const { width, height, channels, bitpix, fullScale, header, randomAccess, turned, notes } = frame;
  const { cards } = header;
  const metadata = metadataOfCards(cards);
  // The pattern is that of the first stored row, which is the last one of a picture that was turned over.
  const cfa = metadata.cfa && turned ? shiftCfa(metadata.cfa, 0, height - 1) : metadata.cfa;
  const known = { ...metadata, cfa: channels === 1 ? cfa : null };
  const start = known.date === null ? NaN : Date.parse(`${known.date}Z`);
  return {
    ...(frame.plain ? { plain: frame.plain } : {}),
    format: "fits",
    frames: 1,
    width,
    height,
    channels,
    bitpix,
    fullScale,
    cards,
    randomAccess,
    turned,
    notes,
    metadata: known,
    frame: onlyFrame(frame),
    timeOf: () => (Number.isNaN(start) ? null : start),
  };
}

/**
 * Opens the first image of a FITS file. Nothing but headers is read unless the file is compressed; a data size larger than the
 * file is refused before anything is allocated. Integers are scaled so that full scale is 1 (samples.ts); BLANK becomes
 * NaN. Row 0 of the frame is the top row: files that say ROWORDER = 'BOTTOM-UP' are turned over, all others are taken as they
 * lie (common practice of cameras).
 * Source: FITS Standard 4.0 (2018), sections 3.3, 4.4, 5, 7.1 and 10.
 */
export function openFits(bytes: ByteSource): Promise<Result<FitsFrame, FormatError>> {
  return resultOf(() => open(bytes));
}

async function open(given: ByteSource, progress?: (fraction: number) => void): Promise<FitsFrame> {
  const zipped = given.size >= 2 && isGzip(await given.read(0, 2));
  const bytes = zipped ? await gunzipImage(given, progress) : given;
  const hdu = await findImage(bytes);
  if (hdu.kind === "BINTABLE") return openTiled(bytes, hdu, progress);
  const frame = openPlain(bytes, hdu, !zipped);
  return zipped ? { ...frame, plain: await bytes.read(0, bytes.size) } : frame;
}

/** Size and sample type from the cards NAXISn and BITPIX, or ZNAXISn and ZBITPIX of a compressed image. */
function layoutOf(file: string, header: FitsHeader, prefix: "" | "Z") {
  const bitpix = whole(file, header, `${prefix}BITPIX`, -999, 999);
  if (!(BITPIX as readonly number[]).includes(bitpix))
    throw new FormatError(
      file,
      "unsupported",
      `card ${prefix}BITPIX`,
      "8, 16, 32, 64, -32 or -64",
      String(bitpix),
      "Save the frame with 16-bit integer or 32-bit float samples.",
    );
  const naxis = whole(file, header, `${prefix}NAXIS`, 1, 999);
  const axes = Array.from({ length: naxis }, (_, i) => whole(file, header, `${prefix}NAXIS${i + 1}`, 1, 1 << 20));
  const planes = axes.slice(2).reduce((product, n) => product * n, 1);
  if (naxis < 2 || (planes !== 1 && planes !== 3))
    throw new FormatError(
      file,
      "unsupported",
      `card ${prefix}NAXIS`,
      "2 axes, or 3 with one or three planes",
      axes.join(" × "),
      "Save each picture of the cube as a file of its own.",
    );
  return { bitpix: bitpix as Bitpix, axes, width: axes[0], height: axes[1], channels: planes };
}

function scalingOf(header: FitsHeader, bitpix: Bitpix) {
  const bscale = header.number("BSCALE") ?? 1;
  const bzero = header.number("BZERO") ?? 0;
  const fullScale = fullScaleOf(bitpix, bscale, bzero);
  return { fullScale, scale: bscale / fullScale, zero: bzero / fullScale };
}

const isBottomUp = (header: FitsHeader) => header.text("ROWORDER")?.trim().toUpperCase() === "BOTTOM-UP";

function openPlain(bytes: ByteSource, hdu: Hdu, randomAccess: boolean): FitsFrame {
  const { header, dataStart } = hdu;
  const { bitpix, axes, width, height, channels } = layoutOf(bytes.name, header, "");
  const sampleBytes = Math.abs(bitpix) / 8;
  const needed = width * height * channels * sampleBytes;
  if (dataStart + needed > bytes.size)
    throw new FormatError(
      bytes.name,
      "truncated",
      `byte ${bytes.size}`,
      `${needed} bytes of data for ${axes.join(" × ")} at ${Math.abs(bitpix)} bits`,
      `${Math.max(0, bytes.size - dataStart)} bytes`,
      "The file is cut short; copy it again.",
    );
  const { fullScale, scale, zero } = scalingOf(header, bitpix);
  const decode = decoderOf(bitpix, scale, zero, bitpix > 0 ? header.number("BLANK") : undefined);
  const flipped = isBottomUp(header);

  async function read(region: Region, create: CreateRaster = createRaster): Promise<Raster> {
    checkInside(region, { width, height }, bytes.name);
    const out = create(region.width, region.height, channels);
    if (region.width === 0 || region.height === 0) return out;
    const storedRow = flipped ? height - region.y - region.height : region.y;
    for (let c = 0; c < channels; c++) {
      const first = (c * height + storedRow) * width + region.x;
      const span = (region.height - 1) * width + region.width;
      const raw = await bytes.read(dataStart + first * sampleBytes, span * sampleBytes);
      const view = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
      for (let y = 0; y < region.height; y++) {
        const row = flipped ? region.height - 1 - y : y;
        decode(view, y * width * sampleBytes, out.planes[c], row * region.width, region.width);
      }
    }
    return out;
  }

  return { width, height, channels, header, bitpix, fullScale, randomAccess, turned: flipped, notes: hdu.notes, read };
}

/** A tile-compressed image: decompressed at the first read and kept. */
function openTiled(bytes: ByteSource, hdu: Hdu, progress?: (fraction: number) => void): FitsFrame {
  const { header } = hdu;
  const { bitpix, width, height, channels } = layoutOf(bytes.name, header, "Z");
  const { fullScale, scale, zero } = scalingOf(header, bitpix);
  const flipped = isBottomUp(header);
  let whole: Promise<Float32Array[]> | null = null;

  async function read(region: Region): Promise<Raster> {
    checkInside(region, { width, height }, bytes.name);
    whole ??= readTiles(bytes, hdu, { width, height, channels, bitpix, scale, zero }, progress);
    const planes = await whole;
    const out = createRaster(region.width, region.height, channels);
    for (let c = 0; c < channels; c++)
      for (let y = 0; y < region.height; y++) {
        const row = flipped ? height - 1 - region.y - y : region.y + y;
        const from = row * width + region.x;
        out.planes[c].set(planes[c].subarray(from, from + region.width), y * region.width);
      }
    return out;
  }

  return {
    width,
    height,
    channels,
    header,
    bitpix,
    fullScale,
    read,
    randomAccess: false,
    turned: flipped,
    notes: hdu.notes,
  };
}
