import type { Session } from "./driver";

/** Greys of 8 × 8 px of lane A's and lane B's crop at a spot, so far from their middle, in px of the screen. */
export const greysAt = (driver: Session["driver"], spot: string, dx: number, dy: number): Promise<string[]> =>
  driver.executeScript<string[]>(
    `return ['A', 'B'].map((letter) => {
      const canvas = document.querySelector('[data-cell="' + letter + ':' + arguments[0] + '"] canvas');
      const bounds = canvas.getBoundingClientRect(), cell = canvas.parentElement.getBoundingClientRect();
      const x = (cell.left + cell.width / 2 + arguments[1] - bounds.left) * canvas.width / bounds.width;
      const y = (cell.top + cell.height / 2 + arguments[2] - bounds.top) * canvas.height / bounds.height;
      const copy = document.createElement('canvas');
      [copy.width, copy.height] = [8, 8];
      const context = copy.getContext('2d', { willReadFrequently: true });
      context.drawImage(canvas, 4 - x, 4 - y);
      const data = context.getImageData(0, 0, 8, 8).data;
      return data.filter((_, i) => i % 4 === 1).join();
    })`,
    ...[spot, dx, dy],
  );

/** A second reader of FITS, written apart from the first: keywords by position, sizes by the standard's formula. */
export function secondReader(bytes: Buffer): { axes: number[]; bitpix: number; dataBytes: number } {
  const cards = bytes.toString("latin1").match(/.{80}/gs) ?? [];
  const end = cards.findIndex((card) => card.trimEnd() === "END");
  const value = (keyword: string) =>
    Number(
      cards
        .slice(0, end)
        .find((card) => card.startsWith(keyword.padEnd(8) + "="))
        ?.slice(10, 30),
    );
  const axes = Array.from({ length: value("NAXIS") }, (_, i) => value(`NAXIS${i + 1}`));
  const bitpix = value("BITPIX");
  const dataBytes = axes.reduce((a, b) => a * b, Math.abs(bitpix) / 8);
  const headerBytes = Math.ceil(((end + 1) * 80) / 2880) * 2880;
  expect(bytes.length).toBe(headerBytes + Math.ceil(dataBytes / 2880) * 2880);
  return { axes, bitpix, dataBytes };
}
