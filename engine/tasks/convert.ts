import type { FrameRef } from "../frames";
import {
  joinBytes,
  serFrame,
  serHeader,
  serTrailer,
  unpackToFits,
  writeFits,
  writePng,
  writeTiff,
} from "@/core/formats";
import type { FormatId, PictureFile } from "@/core/formats";
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

/** A picture in another format. Values keep their share of full scale; PNG and 16-bit files clamp to 0 … 1. */
export const convert: Task<ConvertPayload, Uint8Array> = async ({ frame, to, sample }, shop) => {
  const picture = await shop.frames.picture(frame);
  const raster = await (await shop.frames.open(frame)).read(wholeRegion(picture));
  return encode(picture, raster, to, sample ?? (picture.bitpix < 0 || picture.bitpix > 16 ? "float32" : "uint16"));
};

async function encode(
  picture: PictureFile,
  raster: Raster,
  to: FormatId,
  sample: "uint16" | "float32",
): Promise<Uint8Array> {
  const { width, height, channels, planes } = raster;
  if (to === "fits")
    return picture.frames === 1 && sample !== "float32"
      ? unpackToFits(picture)
      : writeFits({ width, height, channels, sample }, planes);
  if (to === "tiff") return writeTiff(raster, sample);
  if (to === "png") return writePng(raster, picture.bitpix === 8 ? 8 : 16);
  if (to === "ser") return serOf(picture);
  throw new UserError(`no ${to.toUpperCase()} file can be written`, "Choose .fits, .tif, .png or .ser.");
}

async function serOf(picture: PictureFile): Promise<Uint8Array> {
  const { width, height, channels, frames, metadata, bitpix } = picture;
  const depth = bitpix === 8 ? 8 : 16;
  const layout = {
    width,
    height,
    channels: channels === 3 ? (3 as const) : (1 as const),
    cfa: metadata.cfa,
    depth: depth as 8 | 16,
    instrument: metadata.instrument ?? "",
    telescope: metadata.telescope ?? "",
    times: Array.from({ length: frames }, (_, i) => picture.timeOf(i) ?? 0),
  };
  const parts = [serHeader(layout)];
  for (let i = 0; i < frames; i++)
    parts.push(serFrame(await picture.frame(i).read(wholeRegion(picture)), layout.depth));
  return joinBytes([...parts, serTrailer(layout)]);
}
