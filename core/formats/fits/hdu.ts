import type { ByteSource } from "../bytes";
import { FormatError } from "../problem";
import type { Card } from "../card";
import type { FitsHeader } from "./header";
import { BLOCK, foldCards, headerOf, parseCards } from "./header";

/** Header and place of one header-and-data unit. */
export interface Hdu {
  header: FitsHeader;
  kind: "primary" | "IMAGE" | "BINTABLE" | "other";
  dataStart: number;
  /** Bytes of its data as the header claims them, without padding. */
  dataBytes: number;
}

const MAX_HEADER_BLOCKS = 1000;
const MAX_HDUS = 200;

/**
 * The first unit that holds a picture: the primary one, an IMAGE extension, or a tile-compressed image in a BINTABLE (ZIMAGE).
 * Its cards are followed by those of an empty primary header. Throws FormatError.
 * Source: FITS Standard 4.0, 3.3, 3.4, 7.1, 10.1.
 */
export async function findImage(bytes: ByteSource): Promise<Hdu> {
  if (bytes.size < BLOCK)
    throw new FormatError(
      bytes.name,
      bytes.size === 0 ? "truncated" : "not-this-format",
      "byte 0",
      "a FITS header of at least 2880 bytes",
      `${bytes.size} bytes`,
      "Copy the file again from the camera or the disk it came from.",
    );
  let at = 0;
  let primary: Card[] = [];
  for (let n = 0; n < MAX_HDUS && (n === 0 || at + BLOCK <= bytes.size); n++) {
    const hdu = await readHdu(bytes, at).catch((error: unknown) => {
      if (n > 0 && error instanceof FormatError && error.reason === "no-image") return null; // padding, not an extension
      throw error;
    });
    if (!hdu) break;
    if (n === 0) primary = hdu.header.cards;
    if (isPicture(hdu))
      return n === 0 ? hdu : { ...hdu, header: headerOf(bytes.name, [...hdu.header.cards, ...primary]) };
    at = hdu.dataStart + Math.ceil(hdu.dataBytes / BLOCK) * BLOCK;
  }
  throw new FormatError(
    bytes.name,
    "no-image",
    "card NAXIS",
    "an image of 2 axes, or 3 with three planes",
    "no image in the primary header or an extension",
    "Export the picture as a FITS image.",
  );
}

function isPicture({ kind, header }: Hdu): boolean {
  if (kind === "BINTABLE") return header.get("ZIMAGE") === true;
  return (kind === "primary" || kind === "IMAGE") && (header.number("NAXIS") ?? 0) > 0;
}

/** Reads one header and how much data it claims (FITS Standard 4.0, equation 2, without the factor of bits). */
export async function readHdu(bytes: ByteSource, at: number): Promise<Hdu> {
  const { header, dataStart } = await readHeader(bytes, at);
  const extension = header.text("XTENSION");
  const kind = at === 0 ? "primary" : extension === "IMAGE" || extension === "BINTABLE" ? extension : "other";
  const naxis = whole(bytes.name, header, "NAXIS", 0, 999);
  const bitpix = whole(bytes.name, header, "BITPIX", -999, 999);
  let elements = naxis === 0 ? 0 : 1;
  for (let i = 1; i <= naxis; i++) elements *= whole(bytes.name, header, `NAXIS${i}`, 0, 2 ** 40);
  const heap = header.number("PCOUNT") ?? 0;
  const groups = header.number("GCOUNT") ?? 1;
  const dataBytes = Math.ceil((Math.abs(bitpix) / 8) * groups * (heap + elements));
  if (!Number.isSafeInteger(dataBytes) || dataBytes < 0)
    throw new FormatError(
      bytes.name,
      "damaged",
      "cards PCOUNT and GCOUNT",
      "a size of data that a file can have",
      String(dataBytes),
      "The header is damaged; export the frame again.",
    );
  return { header, kind, dataStart, dataBytes };
}

/** A whole number from a card that must be there. */
export function whole(file: string, header: FitsHeader, keyword: string, least: number, most: number): number {
  const value = header.number(keyword);
  if (value === undefined || !Number.isInteger(value) || value < least || value > most)
    throw new FormatError(
      file,
      "damaged",
      `card ${keyword}`,
      `a whole number from ${least} to ${most}`,
      value === undefined ? "no such card" : String(value),
      "The header is damaged; export the frame again.",
    );
  return value;
}

async function readHeader(bytes: ByteSource, from: number): Promise<{ header: FitsHeader; dataStart: number }> {
  const file = bytes.name;
  const cards: Card[] = [];
  const opening = from === 0 ? "SIMPLE  =" : "XTENSION=";
  for (let block = 0; block < MAX_HEADER_BLOCKS && from + (block + 1) * BLOCK <= bytes.size; block++) {
    const start = from + block * BLOCK;
    const raw = await bytes.read(start, BLOCK);
    if (block === 0 && String.fromCharCode(...raw.subarray(0, 9)) !== opening)
      throw new FormatError(
        file,
        from === 0 ? "not-this-format" : "no-image",
        `byte ${start}`,
        `the card ${opening.slice(0, 8).trim()}`,
        JSON.stringify(String.fromCharCode(...raw.subarray(0, 9).map((b) => (b >= 32 && b < 127 ? b : 46)))),
        from === 0
          ? "This is not a FITS file; choose frames saved as FITS."
          : "What follows the primary header is no extension; export the frame again.",
      );
    const control = raw.findIndex((b) => b < 0x20 || b > 0x7e);
    const { cards: more, ended, used } = parseCards(raw);
    if (control >= 0 && control < (ended ? used : BLOCK))
      throw new FormatError(
        file,
        "damaged",
        `byte ${start + control}`,
        "printable ASCII in the header (FITS Standard 4.0, 3.2)",
        `0x${raw[control].toString(16).padStart(2, "0")}`,
        "The header is damaged; copy the file again.",
      );
    cards.push(...more);
    if (ended) return { header: headerOf(file, foldCards(cards)), dataStart: start + BLOCK };
  }
  throw new FormatError(
    file,
    "damaged",
    "header",
    "the card END",
    "none in the file",
    "The header is cut short; copy the file again.",
  );
}
