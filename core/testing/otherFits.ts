/**
 * A second writer of FITS files, apart from the application's own, for tests of reading: numbers in any sample type, with as few cards as the
 * standard asks for. Source: FITS Standard 4.0, 3 and 4.4.1.
 */
export function otherFits(
  width: number,
  height: number,
  bitpix: 8 | 16 | 32 | 64 | -32 | -64,
  numbers: ArrayLike<number>,
  cards: Record<string, string | number> = {},
): Uint8Array {
  const card = (keyword: string, value: string | number | boolean): string => {
    const field = typeof value === "string" ? `'${value.padEnd(8)}'` : typeof value === "boolean" ? "T" : String(value);
    return `${keyword.padEnd(8)}= ${typeof value === "string" ? field : field.padStart(20)}`.padEnd(80);
  };
  const head =
    card("SIMPLE", true) +
    card("BITPIX", bitpix) +
    card("NAXIS", 2) +
    card("NAXIS1", width) +
    card("NAXIS2", height) +
    Object.entries(cards)
      .map(([keyword, value]) => card(keyword, value))
      .join("") +
    "END".padEnd(80);
  const start = Math.ceil(head.length / 2880) * 2880;
  const size = Math.abs(bitpix) / 8;
  const bytes = new Uint8Array(start + Math.ceil((numbers.length * size) / 2880) * 2880);
  bytes.fill(0x20, 0, start);
  for (let i = 0; i < head.length; i++) bytes[i] = head.charCodeAt(i);
  const view = new DataView(bytes.buffer, start);
  for (let i = 0; i < numbers.length; i++) {
    const v = numbers[i];
    if (bitpix === 8) view.setUint8(i, v);
    else if (bitpix === 16) view.setInt16(2 * i, v);
    else if (bitpix === 32) view.setInt32(4 * i, v);
    else if (bitpix === 64) view.setBigInt64(8 * i, BigInt(Math.round(v)));
    else if (bitpix === -32) view.setFloat32(4 * i, v);
    else view.setFloat64(8 * i, v);
  }
  return bytes;
}
