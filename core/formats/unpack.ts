import { wholeRegion } from "../raster";
import { writeFits } from "./fits";
import type { PictureFile } from "./picture";

/** Cards that describe the layout of a FITS file and must not be copied into another. */
const LAYOUT =
  /^(SIMPLE|XTENSION|BITPIX|NAXIS\d*|EXTEND|PCOUNT|GCOUNT|BSCALE|BZERO|BLANK|END|ROWORDER|CHECKSUM|DATASUM|EXTNAME|TFIELDS|THEAP|T(TYPE|FORM|UNIT|NULL|SCAL|ZERO|DIM|DISP)\d+|Z[A-Z]+\d*|COMMENT|HISTORY|CONTINUE)$/;

/**
 * A still picture as an uncompressed FITS file, in its own sample type where that is 8 or 16-bit unsigned and as 32-bit floats
 * otherwise, so that its regions can be read at random from then on. Cards come along.
 */
export async function unpackToFits(picture: PictureFile): Promise<Uint8Array> {
  const raster = await picture.frame(0).read(wholeRegion(picture));
  const { width, height, channels, bitpix, fullScale } = picture;
  const sample =
    bitpix === 8 && fullScale === 255 ? "uint8" : bitpix === 16 && fullScale === 65535 ? "uint16" : "float32";
  const cards = picture.cards.flatMap(({ keyword, value, comment }): [string, string | number | boolean, string][] =>
    value === null ||
    LAYOUT.test(keyword) ||
    !/^[A-Z0-9_-]{1,8}$/.test(keyword) ||
    (typeof value === "string" && value.length > 60)
      ? []
      : [[keyword, value, comment]],
  );
  return writeFits({ width, height, channels, sample, cards }, raster.planes);
}
