import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import type { Direction, Interpolation, MosaicKernels } from "./contract";
import { LEAST_SHARE, MOST_RATIO, PAD, RANGE_SHARE, checkCell, directionsAt } from "./contract";

/**
 * The two missing colours at pixel k of a padded mosaic of the given pitch, into `out`: at green that of its row and that of its column, else
 * green and the opposite colour.
 */
type At = (p: Float32Array, k: number, pitch: number, isGreen: boolean, out: Float64Array) => void;

const METHODS: Record<Interpolation, (pitch: number) => At> = {
  bilinear: () => bilinearAt,
  linear5: () => linear5At,
  limited: () => limitedAt,
  gradients: gradientsAt,
};

export const mosaicPlain: MosaicKernels = {
  demosaic(how, mosaic, width, height, cell) {
    checkPlane(mosaic, width, height);
    checkCell(cell);
    const pitch = width + 2 * PAD;
    const p = padMosaic(mosaic, width, height);
    const planes = [0, 1, 2].map(() => new Float32Array(width * height));
    const at = METHODS[how](pitch);
    const missing = new Float64Array(2);
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const own = cell[(y & 1) * 2 + (x & 1)];
        const k = (y + PAD) * pitch + x + PAD;
        at(p, k, pitch, own === 1, missing);
        planes[own][i] = p[k];
        const beside = own === 1 ? cell[(y & 1) * 2 + ((x + 1) & 1)] : 1;
        planes[beside][i] = missing[0];
        planes[own === 1 ? 2 - beside : 2 - own][i] = missing[1];
      }
    return planes;
  },
};

function padMosaic(mosaic: Float32Array, width: number, height: number): Float32Array {
  const pitch = width + 2 * PAD;
  const out = new Float32Array(pitch * (height + 2 * PAD));
  for (let y = 0; y < height + 2 * PAD; y++)
    for (let x = 0; x < pitch; x++)
      out[y * pitch + x] = mosaic[mirrorIndex(y - PAD, height) * width + mirrorIndex(x - PAD, width)];
  return out;
}

function bilinearAt(p: Float32Array, k: number, w: number, isGreen: boolean, out: Float64Array): void {
  const beside = p[k - 1] + p[k + 1];
  const over = p[k - w] + p[k + w];
  out[0] = isGreen ? 0.5 * beside : 0.25 * (beside + over);
  out[1] = isGreen ? 0.5 * over : 0.25 * diagonalAt(p, k, w);
}

const diagonalAt = (p: Float32Array, k: number, w: number): number =>
  p[k - w - 1] + p[k - w + 1] + (p[k + w - 1] + p[k + w + 1]);

function linear5At(p: Float32Array, k: number, w: number, isGreen: boolean, out: Float64Array): void {
  const beside = p[k - 1] + p[k + 1];
  const over = p[k - w] + p[k + w];
  const across = p[k - 2] + p[k + 2];
  const along = p[k - 2 * w] + p[k + 2 * w];
  const diagonal = diagonalAt(p, k, w);
  if (isGreen) {
    out[0] = (5 * p[k] + 4 * beside - across - diagonal + 0.5 * along) / 8;
    out[1] = (5 * p[k] + 4 * over - along - diagonal + 0.5 * across) / 8;
  } else {
    out[0] = (4 * p[k] + 2 * (beside + over) - across - along) / 8;
    out[1] = (6 * p[k] + 2 * diagonal - 1.5 * (across + along)) / 8;
  }
}

function limitedAt(p: Float32Array, k: number, w: number, isGreen: boolean, out: Float64Array): void {
  const v = p[k];
  const across = p[k - 2] + p[k + 2];
  const along = p[k - 2 * w] + p[k + 2 * w];
  const straight = least4(p[k - 2], p[k + 2], p[k - 2 * w], p[k + 2 * w]);
  if (isGreen) {
    const diagonal = diagonalAt(p, k, w);
    const lowest = lower(lower(v, straight), least4(p[k - w - 1], p[k - w + 1], p[k + w - 1], p[k + w + 1]));
    const rise = (4 * v + diagonal) / 8 - lowest;
    const [left, right, up, down] = [p[k - 1], p[k + 1], p[k - w], p[k + w]];
    const inRow = least4(p[k - 2 * w - 1], p[k - 2 * w + 1], p[k + 2 * w - 1], p[k + 2 * w + 1]);
    const inColumn = least4(p[k - w - 2], p[k - w + 2], p[k + w - 2], p[k + w + 2]);
    out[0] = between(left, right, 5 * v - across - diagonal + 0.5 * along, lower(lower(left, right), inRow), rise);
    out[1] = between(up, down, 5 * v - along - diagonal + 0.5 * across, lower(lower(up, down), inColumn), rise);
  } else {
    const rise = (4 * v + across + along) / 8 - lower(v, straight);
    const detail = 4 * v - across - along;
    out[0] = amid(p[k - 1], p[k + 1], p[k - w], p[k + w], detail, rise);
    out[1] = amid(p[k - w - 1], p[k - w + 1], p[k + w - 1], p[k + w + 1], 1.5 * detail, rise);
  }
}

const lower = (a: number, b: number): number => (b < a ? b : a);
const higher = (a: number, b: number): number => (a < b ? b : a);
const least4 = (a: number, b: number, c: number, d: number): number => lower(lower(a, b), lower(c, d));
/** NaN stays. */
const within = (value: number, low: number, high: number): number => (value < low ? low : value > high ? high : value);

/** Between two samples: their mean and an eighth of the other colour's detail in this one's share. */
const between = (a: number, b: number, detail: number, lowest: number, rise: number): number =>
  within(0.5 * (a + b) + (share(0.5 * (a + b) - lowest, rise) * detail) / 8, lower(a, b), higher(a, b));

function amid(a: number, b: number, c: number, d: number, detail: number, rise: number): number {
  const lowest = least4(a, b, c, d);
  const mean = 0.25 * (a + b + (c + d));
  return within(mean + (share(mean - lowest, rise) * detail) / 8, lowest, higher(higher(a, b), higher(c, d)));
}

const share = (own: number, other: number): number =>
  other > 0 ? (own < MOST_RATIO * other ? own / other : MOST_RATIO) : 1;

function gradientsAt(pitch: number): At {
  const offsets = (points: Direction["own"]) => points.map(([x, y]) => y * pitch + x);
  const [atOther, atGreen] = [false, true].map((green) =>
    directionsAt(green).map(({ pairs, own, first, second }) => ({
      from: offsets(pairs.map(([a]) => a)),
      to: offsets(pairs.map(([, b]) => b)),
      factors: pairs.map(([, , factor]) => factor),
      own: offsets(own),
      first: offsets(first),
      second: offsets(second),
    })),
  );
  const size = new Float32Array(8);
  const mean = (p: Float32Array, k: number, points: number[]): number => {
    let sum = 0;
    for (let n = 0; n < points.length; n++) sum += p[k + points[n]];
    return sum / points.length;
  };
  return (p, k, _w, isGreen, out) => {
    const directions = isGreen ? atGreen : atOther;
    let least = Infinity;
    let most = 0;
    for (let d = 0; d < 8; d++) {
      const { from, to, factors } = directions[d];
      let sum = 0;
      for (let n = 0; n < from.length; n++) sum += Math.abs(p[k + from[n]] - p[k + to[n]]) * factors[n];
      size[d] = sum;
      least = lower(least, size[d]);
      most = higher(most, size[d]);
    }
    const limit = LEAST_SHARE * least + RANGE_SHARE * (most - least);
    let count = 0;
    const sums = [0, 0, 0];
    for (let d = 0; d < 8; d++) {
      if (size[d] > limit) continue;
      count++;
      sums[0] += mean(p, k, directions[d].own);
      sums[1] += mean(p, k, directions[d].first);
      sums[2] += mean(p, k, directions[d].second);
    }
    // Directions tell the colour above and below first, the row's is wanted first.
    out[isGreen ? 1 : 0] = p[k] + (sums[1] - sums[0]) / count;
    out[isGreen ? 0 : 1] = p[k] + (sums[2] - sums[0]) / count;
  };
}
