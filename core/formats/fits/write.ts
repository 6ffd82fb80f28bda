import { joinBytes } from "../bytes";
import { BLOCK, CARD, cardLines, formatCard, historyCards } from "./header";

export type FitsSample = "float32" | "uint16" | "uint8";

const SAMPLE_BYTES = { float32: 4, uint16: 2, uint8: 1 } as const;

/** A card to be written: keyword, value, comment. */
export type FitsCard = [keyword: string, value: string | number | boolean, comment?: string];

export interface FitsLayout {
  width: number;
  height: number;
  channels: number;
  sample: FitsSample;
  /** Further cards, in order. */
  cards?: FitsCard[];
  /** Texts that become HISTORY cards, such as the recipe. */
  history?: string[];
}

/** The header of a FITS file with one image, filled up to whole blocks. Source: FITS Standard 4.0, 4.4.1. */
export function fitsHeader(layout: FitsLayout): Uint8Array {
  const { width, height, channels, sample } = layout;
  const cards = [
    formatCard("SIMPLE", true, "FITS Standard 4.0"),
    formatCard("BITPIX", sample === "float32" ? -32 : 8 * SAMPLE_BYTES[sample]),
    formatCard("NAXIS", channels === 1 ? 2 : 3),
    formatCard("NAXIS1", width),
    formatCard("NAXIS2", height),
    ...(channels === 1 ? [] : [formatCard("NAXIS3", channels)]),
    ...(sample === "uint16" ? [formatCard("BSCALE", 1), formatCard("BZERO", 32768, "unsigned 16-bit")] : []),
    formatCard("ROWORDER", "TOP-DOWN", "first row is the top row"),
    ...(layout.cards ?? []).flatMap(([keyword, value, comment]) => cardLines(keyword, value, comment)),
    ...(layout.history ?? []).flatMap(historyCards),
    "END".padEnd(CARD),
  ];
  const text = cards.join("");
  const bytes = new Uint8Array(Math.ceil(text.length / BLOCK) * BLOCK).fill(0x20);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

/** Whether this machine keeps the least byte of a number first; FITS keeps it last. */
const LITTLE_ENDIAN = new Uint8Array(new Uint16Array([1]).buffer)[0] === 1;

/** Rows of one plane as FITS bytes: big-endian; unsigned values are value × 65535 or 255, rounded and clamped; NaN is 0. */
export function fitsSamples(plane: Float32Array, sample: FitsSample): Uint8Array {
  if (sample === "float32") {
    const words = new Uint32Array(plane.slice().buffer);
    if (LITTLE_ENDIAN)
      for (let i = 0; i < words.length; i++) {
        const w = words[i];
        words[i] = (w >>> 24) | ((w >>> 8) & 0xff00) | ((w << 8) & 0xff0000) | (w << 24);
      }
    return new Uint8Array(words.buffer);
  }
  if (sample === "uint8") {
    const bytes = new Uint8Array(plane.length);
    for (let i = 0; i < plane.length; i++) bytes[i] = Math.min(255, Math.max(0, Math.round((plane[i] || 0) * 255)));
    return bytes;
  }
  const bytes = new Uint8Array(plane.length * 2);
  const view = new DataView(bytes.buffer);
  for (let i = 0; i < plane.length; i++) {
    const value = Math.min(65535, Math.max(0, Math.round((plane[i] || 0) * 65535)));
    view.setInt16(2 * i, value - 32768, false);
  }
  return bytes;
}

/** Bytes that fill the data of a file up to whole blocks. */
export function fitsPadding(layout: FitsLayout): Uint8Array {
  const data = layout.width * layout.height * layout.channels * SAMPLE_BYTES[layout.sample];
  return new Uint8Array((BLOCK - (data % BLOCK)) % BLOCK);
}

/** A whole FITS file in memory. */
export function writeFits(layout: FitsLayout, planes: Float32Array[]): Uint8Array {
  return joinBytes([
    fitsHeader(layout),
    ...planes.map((plane) => fitsSamples(plane, layout.sample)),
    fitsPadding(layout),
  ]);
}
