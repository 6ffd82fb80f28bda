import type { Warp } from "../../register";
import { isLinear } from "../../register";
import type { Card } from "../card";

/** Where pixels of a picture came to lie along each axis, 1-based as in FITS: new = factor · old + shift. */
export interface PixelMap {
  factor: [number, number];
  shift: [number, number];
}

/** The picture upside down. */
export const turnedOver = (height: number): PixelMap => ({ factor: [1, -1], shift: [0, height + 1] });
/** Cut out from pixel (x, y), 0-based. */
export const cutFrom = (x: number, y: number): PixelMap => ({ factor: [1, 1], shift: [-x, -y] });
/** n × n pixels as one. */
export const binnedBy = (n: number): PixelMap => ({
  factor: [1 / n, 1 / n],
  shift: [0.5 - 0.5 / n, 0.5 - 0.5 / n],
});

/** How a linear warp from new pixels to old ones, 0-based, moves them; null where it turns or shears the axes. */
export function pixelMapOf(toOld: Warp): PixelMap | null {
  if (!isLinear(toOld)) return null;
  const [a, b, c, d, e, f] = toOld.matrix;
  if (b !== 0 || d !== 0) return null;
  return { factor: [1 / a, 1 / e], shift: [1 - (1 + c) / a, 1 - (1 + f) / e] };
}

const WORLD = /^((CRPIX|CRVAL|CDELT|CTYPE|CUNIT|CROTA)\d[A-Z]?|(CD|PC)\d_\d[A-Z]?|[AB]P?_(\d_\d|ORDER))$/;

/** The cards without world coordinates. */
export const withoutWcs = (cards: readonly Card[]): Card[] => cards.filter(({ keyword }) => !WORLD.test(keyword));

/**
 * The cards of a picture after its pixels were moved: the world coordinates stay those of the sky. CRPIX is mapped, CD, PC with CDELT,
 * or CDELT (with CROTA) follow the factors, and the SIP polynomials A, B, AP, BP their powers; alternate descriptions (suffix A … Z)
 * too. Cards that are no world coordinates come through unchanged.
 * Sources: Greisen & Calabretta 2002, A&A 395, 1061 (eqs. 1, 3); Shupe et al. 2005, ASP Conf. 347, 491 (SIP).
 */
export function mapWcs(cards: readonly Card[], { factor, shift }: PixelMap): Card[] {
  const hasMatrix = (letter: string, suffix: string): boolean =>
    cards.some(({ keyword }) => new RegExp(`^${letter}[12]_[12]${suffix}$`).test(keyword));
  const size = Math.sqrt(Math.abs(factor[0] * factor[1]));
  return cards.map((card) => {
    const { keyword, value } = card;
    if (typeof value !== "number") return card;
    const linear = /^(CRPIX|CDELT)([12])([A-Z]?)$/.exec(keyword);
    if (linear) {
      const [, kind, axis, suffix] = linear;
      const i = Number(axis) - 1;
      if (kind === "CRPIX") return { ...card, value: factor[i] * value + shift[i] };
      // With a PC matrix the signs go there, since it may turn the axes.
      return { ...card, value: value / (hasMatrix("PC", suffix) ? size : factor[i]) };
    }
    const matrix = /^(CD|PC)([12])_([12])([A-Z]?)$/.exec(keyword);
    if (matrix) {
      const i = Number(matrix[3]) - 1;
      return { ...card, value: value / (matrix[1] === "CD" ? factor[i] : factor[i] / size) };
    }
    const sip = /^([AB])P?_(\d)_(\d)$/.exec(keyword);
    if (sip) {
      const own = factor[sip[1] === "A" ? 0 : 1];
      return { ...card, value: (value * own) / (factor[0] ** Number(sip[2]) * factor[1] ** Number(sip[3])) };
    }
    return card;
  });
}
