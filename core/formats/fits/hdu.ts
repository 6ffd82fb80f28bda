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
  /** What is odd about the header, in words. */
  notes: string[];
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
  const notes: string[] = [];
  for (let n = 0; n < MAX_HDUS && (n === 0 || at + BLOCK <= bytes.size); n++) {
    const hdu = await readHdu(bytes, at).catch((error: unknown) => {
      if (n > 0 && error instanceof FormatError && error.reason === "no-image") return null; // padding, not an extension
      throw error;
    });
    if (!hdu) break;
    if (n === 0) {
      primary = hdu.header.cards;
      notes.push(...hdu.notes);
    }
    if (isPicture(hdu))
      return n === 0
        ? hdu
        : {
            ...hdu,
            notes: [...new Set([...notes, ...hdu.notes])],
            header: headerOf(bytes.name, [...hdu.header.cards, ...primary]),
          };
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
  const { header, dataStart, notes } = await readHeader(bytes, at);
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
  return { header, kind, dataStart, dataBytes, notes };
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

/**
 * Bytes that a header must not hold (FITS Standard 4.0, 3.2: printable ASCII only) are read as "?" or, control characters, as blanks: some
 * writers put accented names into cards. Returns how many there were.
 */
function replaceOddBytes(raw: Uint8Array): number {
  let odd = 0;
  for (let i = 0; i < raw.length; i++)
    if (raw[i] < 0x20 || raw[i] > 0x7e) {
      raw[i] = raw[i] > 0x7e ? 0x3f : 0x20;
      odd++;
    }
  return odd;
}

/** Cards that decide what the pixels are: a file in which one of them is damaged is not read by guess. */
const STRUCTURAL = [
  "SIMPLE",
  "XTENSION",
  "BITPIX",
  "NAXIS",
  "NAXIS1",
  "NAXIS2",
  "NAXIS3",
  "BZERO",
  "BSCALE",
  "BLANK",
  "PCOUNT",
  "GCOUNT",
];

/** The structural keyword that a keyword with odd bytes may have been; null for none. */
function structuralCardHit(raw: Uint8Array): string | null {
  const isOdd = (b: number): boolean => b < 0x20 || b > 0x7e;
  for (let at = 0; at + 80 <= raw.length; at += 80) {
    const keyword = raw.subarray(at, at + 8);
    if (!keyword.some(isOdd)) continue;
    const hit = STRUCTURAL.find((name) =>
      [...name.padEnd(8)].every((c, i) => isOdd(keyword[i]) || keyword[i] === c.charCodeAt(0)),
    );
    if (hit) return hit;
  }
  return null;
}

async function readHeader(
  bytes: ByteSource,
  from: number,
): Promise<{ header: FitsHeader; dataStart: number; notes: string[] }> {
  const file = bytes.name;
  const notes: string[] = [];
  const cards: Card[] = [];
  const opening = from === 0 ? "SIMPLE  =" : "XTENSION=";
  for (let block = 0; block < MAX_HEADER_BLOCKS && from + (block + 1) * BLOCK <= bytes.size; block++) {
    const start = from + block * BLOCK;
    const raw = (await bytes.read(start, BLOCK)).slice();
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
    const first = raw.findIndex((b) => b < 0x20 || b > 0x7e);
    const { ended, used } = parseCards(raw);
    const lost = structuralCardHit(raw.subarray(0, ended ? used : BLOCK));
    if (lost)
      throw new FormatError(
        file,
        "damaged",
        `byte ${start + first}`,
        `the card ${lost} in printable ASCII (FITS Standard 4.0, 3.2)`,
        `0x${raw[first].toString(16).padStart(2, "0")} in its keyword`,
        "The header is damaged; copy the file again.",
      );
    const odd = replaceOddBytes(raw.subarray(0, ended ? used : BLOCK));
    if (odd > 0)
      notes.push(
        `header byte ${start + first}: ${odd === 1 ? "a character is" : `${odd} characters are`} outside ASCII (FITS Standard 4.0, 3.2), read as “?” or blank`,
      );
    cards.push(...parseCards(raw).cards);
    if (ended) return { header: headerOf(file, foldCards(cards)), dataStart: start + BLOCK, notes };
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
