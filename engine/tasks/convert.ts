import type { FrameRef } from "../frames";
import type { FormatId, WrittenSample } from "@/core/formats";
import { formatOf, FORMATS, toSample } from "@/core/formats";
import type { Raster } from "@/core/raster";
import { wholeRegion } from "@/core/raster";
import { UserError } from "@/core/job";
import type { Task } from "./task";

/** Endings of the files that can be written. */
const writtenEndings = () => FORMATS.flatMap(({ writer }) => writer?.endings ?? []);

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
  /** Samples that the new type cannot hold and that became its least or its largest number; missing ones become the least. */
  clippedLow: number;
  clippedHigh: number;
}

/**
 * A picture in another format. Integers of 8 and 16 bits keep their numbers in 16 bits; others are brought to the full scale of the new
 * type, and the factor is reported. Where some are negative or missing, as signed integers and
 * BLANK have it, and the format has floats, they
 * become floats. Floats keep the samples (shares of full scale for integers, else their own numbers).
 */
export const convert: Task<ConvertPayload, Converted> = {
  owned: async ({ frame, to, sample: asked }, context) => {
    const picture = await context.frames.picture(frame);
    const raster = await (await context.frames.open(frame)).read(wholeRegion(picture));
    const unit = await context.frames.unit(frame);
    const { title, writer } = formatOf(to);
    if (!writer) throw new UserError(`no ${title} file can be written`, `Choose ${writtenEndings().join(", ")}.`);
    const holds = (one: WrittenSample) => writer.samples.includes(one);
    const areIntegers = picture.bitpix > 0 && picture.bitpix <= 16;
    const wanted = asked ?? (areIntegers && holdsAll(raster) ? "uint16" : "float32");
    if (asked === "float32" && !holds("float32"))
      throw new UserError(`${title} files hold no floats`, "Leave --sample out, or write FITS or TIFF.");
    const bits = wanted === "float32" && holds("float32") ? 0 : picture.bitpix === 8 && holds("uint8") ? 8 : 16;
    const sample = bits === 0 ? "float32" : bits === 8 ? "uint8" : "uint16";
    // Shares of full scale are what integer writers take.
    const white = areIntegers ? 1 : toSample(unit, unit.fullScale);
    const shares = bits === 0 || white === 1 ? raster : scaled(raster, 1 / white);
    const { low, high } = bits === 0 ? { low: 0, high: 0 } : clipped(shares);
    const most = 2 ** bits - 1;
    return {
      file: await (await writer.load()).write({ raster: shares, sample, unit, source: picture }),
      sample,
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

/** Whether every sample is one of 0 … 1: none is negative, above full scale or missing. */
const holdsAll = ({ planes }: Raster): boolean => planes.every((plane) => plane.every((v) => v >= 0 && v <= 1));

function clipped({ planes }: Raster): { low: number; high: number } {
  let low = 0;
  let high = 0;
  for (const plane of planes)
    for (const v of plane)
      if (!(v >= 0)) low++;
      else if (v > 1) high++;
  return { low, high };
}
