import type { FrameRef } from "../frames";
import type { FitsCard, FormatId, FrameUnit, PictureFile } from "@/core/formats";
import {
  asRead,
  joinBytes,
  keptHeader,
  metadataCards,
  serFrame,
  serHeader,
  serTrailer,
  toSample,
  unitOfSamples,
  unpackToFits,
  writeFits,
  writePng,
  writeTiff,
} from "@/core/formats";
import type { Raster } from "@/core/raster";
import { wholeRegion } from "@/core/raster";
import { UserError } from "@/core/job";
import type { Task } from "./task";

export interface ConvertPayload {
  frame: FrameRef;
  to: FormatId;
  /** Samples of the result: 16-bit integers, or floats where the format has them. @default as fits what the file holds */
  sample?: "uint16" | "float32";
}

export interface Converted {
  file: Uint8Array;
  sample: "uint8" | "uint16" | "float32";
  /** Numbers of the new file over those of the old one. */
  scale: number;
  /** Samples that the new type cannot hold and that became its least or its largest number. */
  clippedLow: number;
  clippedHigh: number;
}

/**
 * A picture in another format. Integers of 8 and 16 bits keep their numbers in 16 bits; others are brought to the full scale of the new
 * type, and the factor is told. Floats keep the samples (shares of full scale for integers, else their own numbers).
 */
export const convert: Task<ConvertPayload, Converted> = {
  owned: async ({ frame, to, sample: asked }, context) => {
    const picture = await context.frames.picture(frame);
    const raster = await (await context.frames.open(frame)).read(wholeRegion(picture));
    const unit = await context.frames.unit(frame);
    const floats = to === "fits" || to === "tiff";
    const wanted = asked ?? (picture.bitpix < 0 || picture.bitpix > 16 ? "float32" : "uint16");
    if (asked === "float32" && !floats)
      throw new UserError(`${to.toUpperCase()} files hold no floats`, "Leave --sample out, or write FITS or TIFF.");
    const bits = wanted === "float32" && floats ? 0 : picture.bitpix === 8 && to !== "fits" && to !== "tiff" ? 8 : 16;
    // Shares of full scale are what integer writers take.
    const white = picture.bitpix > 0 && picture.bitpix <= 16 ? 1 : toSample(unit, unit.fullScale);
    const shares = bits === 0 || white === 1 ? raster : scaled(raster, 1 / white);
    const { low, high } = bits === 0 ? { low: 0, high: 0 } : clipped(shares);
    const most = 2 ** bits - 1;
    return {
      file: await encode(picture, shares, unit, to, bits),
      sample: bits === 0 ? "float32" : bits === 8 ? "uint8" : "uint16",
      scale: bits === 0 ? 1 / unit.storedPerUnit : most / (white * unit.storedPerUnit),
      clippedLow: low,
      clippedHigh: high,
    };
  },
};

const scaled = (raster: Raster, factor: number): Raster => ({
  ...raster,
  planes: raster.planes.map((plane) => plane.map((v) => v * factor)),
});

function clipped({ planes }: Raster): { low: number; high: number } {
  let low = 0;
  let high = 0;
  for (const plane of planes)
    for (const v of plane)
      if (v < 0) low++;
      else if (v > 1) high++;
  return { low, high };
}

async function encode(
  picture: PictureFile,
  raster: Raster,
  unit: FrameUnit,
  to: FormatId,
  bits: 0 | 8 | 16,
): Promise<Uint8Array> {
  const { width, height, channels, planes } = raster;
  if (to === "fits") {
    const plain = picture.frames === 1 && bits === 16 && (picture.bitpix === 16 || picture.bitpix === 8);
    if (plain && picture.fullScale === 65535) return unpackToFits(picture);
    const { cards, history } = keptHeader({
      ...asRead(picture),
      set: [...asRead(picture).set, ...missingCards(picture)],
      unit: bits === 0 ? unitOfSamples(unit) : sixteenBits(unit),
    });
    return writeFits({ width, height, channels, sample: bits === 0 ? "float32" : "uint16", cards, history }, planes);
  }
  if (to === "tiff") return writeTiff(raster, bits === 0 ? "float32" : "uint16", description(picture));
  if (to === "png") return writePng(raster, bits === 8 ? 8 : 16, { Description: description(picture) });
  if (to === "ser") return serOf(picture, raster, bits === 8 ? 8 : 16);
  throw new UserError(`no ${to.toUpperCase()} file can be written`, "Choose .fits, .tif, .png or .ser.");
}

/** What a file of another format tells in its own way, as cards. */
function missingCards({ cards, metadata }: PictureFile): FitsCard[] {
  const there = new Set(cards.map(({ keyword }) => keyword));
  return metadataCards(metadata).filter(([keyword]) => !there.has(keyword));
}

/** The unit of samples that were brought to 16 bits. */
function sixteenBits(unit: FrameUnit): FrameUnit {
  const full = 65535;
  const saturation = unit.saturation === null ? null : Math.round((unit.saturation / unit.fullScale) * full);
  return { ...unit, name: "ADU", storedPerUnit: full, fullScale: full, saturation };
}

/** The cards of a picture as text, for formats that have room for one. */
function description(picture: PictureFile): string {
  const { cards } = keptHeader({ ...asRead(picture), unit: "same" });
  return cards.map(([keyword, value]) => `${keyword} = ${value}`).join("\n");
}

async function serOf(picture: PictureFile, first: Raster, depth: 8 | 16): Promise<Uint8Array> {
  const { width, height, channels, frames, metadata } = picture;
  const layout = {
    width,
    height,
    channels: channels === 3 ? (3 as const) : (1 as const),
    cfa: metadata.cfa,
    depth,
    instrument: metadata.instrument ?? "",
    telescope: metadata.telescope ?? "",
    times: Array.from({ length: frames }, (_, i) => picture.timeOf(i) ?? 0),
  };
  const parts = [serHeader(layout)];
  for (let i = 0; i < frames; i++)
    parts.push(serFrame(frames === 1 ? first : await picture.frame(i).read(wholeRegion(picture)), depth));
  return joinBytes([...parts, serTrailer(layout)]);
}
