import { rasterOf } from "../../raster";
import type { CfaCell } from "../cfa";
import type { Demosaic } from "./demosaic";
import { padMosaic } from "./demosaic";

/** Most that one colour's detail may count for in another, over what it is there. */
const MOST_RATIO = 1.5;

/**
 * Gradient-corrected interpolation that follows the colour of the light and does not overshoot: bilinear plus the Laplacian of the
 * colour that is known at the pixel (5 × 5, gains of Malvar, He & Cutler 2004), scaled by the ratio of the two colours' heights above their least
 * neighbours, since a red star's detail in green is not its detail in red; the result stays between the nearest samples of its own colour,
 * so that no rings are made. Source: own; the correction from Malvar, He & Cutler 2004, ICASSP.
 */
export const limited: Demosaic = {
  id: "limited",
  title: "gradient-corrected, limited",
  help: "Bilinear, corrected by the change of the known colour, without overshoot: narrow stars without rings",
  halo: 2,
  shrinks: 1,
  run: (mosaic, width, height, cell: CfaCell) => {
    const w = width + 4;
    const p = padMosaic(mosaic, width, height, 2);
    const planes = [0, 1, 2].map(() => new Float32Array(width * height));
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const k = (y + 2) * w + x + 2;
        const own = cell[(y & 1) * 2 + (x & 1)];
        const v = p[k];
        const left = p[k - 1];
        const right = p[k + 1];
        const up = p[k - w];
        const down = p[k + w];
        const w2 = p[k - 2];
        const e2 = p[k + 2];
        const n2 = p[k - 2 * w];
        const s2 = p[k + 2 * w];
        const nw = p[k - w - 1];
        const ne = p[k - w + 1];
        const sw = p[k + w - 1];
        const se = p[k + w + 1];
        const across = w2 + e2;
        const along = n2 + s2;
        const diagonal = nw + ne + sw + se;
        if (own === 1) {
          const beside = cell[(y & 1) * 2 + ((x + 1) & 1)];
          planes[1][i] = v;
          const level = (4 * v + diagonal) / 8;
          const rise = level - Math.min(v, nw, ne, sw, se, w2, e2, n2, s2);
          const rowLeast = Math.min(
            left,
            right,
            p[k - 2 * w - 1],
            p[k - 2 * w + 1],
            p[k + 2 * w - 1],
            p[k + 2 * w + 1],
          );
          const columnLeast = Math.min(up, down, p[k - w - 2], p[k - w + 2], p[k + w - 2], p[k + w + 2]);
          planes[beside][i] = between(left, right, 5 * v - across - diagonal + 0.5 * along, rowLeast, rise);
          planes[2 - beside][i] = between(up, down, 5 * v - along - diagonal + 0.5 * across, columnLeast, rise);
        } else {
          planes[own][i] = v;
          const level = (4 * v + across + along) / 8;
          const rise = level - Math.min(v, w2, e2, n2, s2);
          const detail = 4 * v - across - along;
          planes[1][i] = amid(left, right, up, down, detail, rise);
          planes[2 - own][i] = amid(nw, ne, sw, se, 1.5 * detail, rise);
        }
      }
    return rasterOf(width, height, planes);
  },
};

/** Between two samples: their mean and an eighth of the other colour's detail in this one's share. */
function between(a: number, b: number, detail: number, least: number, rise: number): number {
  const mean = 0.5 * (a + b);
  const value = mean + (share(mean - least, rise) * detail) / 8;
  return a < b ? (value < a ? a : value > b ? b : value) : value < b ? b : value > a ? a : value;
}

function amid(a: number, b: number, c: number, d: number, detail: number, rise: number): number {
  const least = Math.min(a, b, c, d);
  const most = Math.max(a, b, c, d);
  const mean = 0.25 * (a + b + c + d);
  const value = mean + (share(mean - least, rise) * detail) / 8;
  return value < least ? least : value > most ? most : value;
}

const share = (own: number, other: number): number =>
  other > 0 ? (own < MOST_RATIO * other ? own / other : MOST_RATIO) : 1;
