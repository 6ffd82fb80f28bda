import { wholeRegion } from "../raster";
import type { FitsCard } from "./fits";
import { keptHeader, turnedOver, writeFits } from "./fits";
import type { PictureFile } from "./picture";

/**
 * A still picture as an uncompressed FITS file, in its own sample type where that is 8 or 16-bit unsigned and as 32-bit floats of
 * the same numbers otherwise, so that its regions can be read at random from then on. Cards come along.
 */
export async function unpackToFits(picture: PictureFile): Promise<Uint8Array> {
  if (picture.plain) return picture.plain.slice();
  const raster = await picture.frame(0).read(wholeRegion(picture));
  const { width, height, channels, bitpix, fullScale } = picture;
  const sample =
    bitpix === 8 && fullScale === 255 ? "uint8" : bitpix === 16 && fullScale === 65535 ? "uint16" : "float32";
  if (sample === "float32" && fullScale !== 1)
    for (const plane of raster.planes) for (let i = 0; i < plane.length; i++) plane[i] *= fullScale;
  const { cards, history } = keptHeader({ ...asRead(picture), unit: "same" });
  return writeFits({ width, height, channels, sample, cards, history }, raster.planes);
}

/** The header of a file for its pixels as they were read: top row first. */
export function asRead({
  cards,
  turned,
  height,
  metadata: { cfa },
}: Pick<PictureFile, "cards" | "turned" | "height" | "metadata">) {
  const pattern: FitsCard[] =
    cfa && turned
      ? [
          ["BAYERPAT", cfa],
          ["XBAYROFF", 0],
          ["YBAYROFF", 0],
        ]
      : [];
  return { cards, moved: turned ? [turnedOver(height)] : [], set: pattern };
}
