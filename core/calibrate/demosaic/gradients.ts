import { rasterOf } from "../../raster";
import type { CfaCell } from "../cfa";
import type { Demosaic } from "./demosaic";
import { padMosaic } from "./demosaic";

type Point = readonly [dx: number, dy: number];

/** Gradients towards north and north-east as pairs of points and their factors; the other directions follow by turns. */
const NORTH_PAIRS: [Point, Point, number][] = [
  [[0, -1], [0, 1], 1],
  [[0, -2], [0, 0], 1],
  [[-1, -1], [-1, 1], 0.5],
  [[1, -1], [1, 1], 0.5],
  [[-1, -2], [-1, 0], 0.5],
  [[1, -2], [1, 0], 0.5],
];
const NORTH_EAST_PAIRS_GREEN: [Point, Point, number][] = [
  [[1, -1], [-1, 1], 1],
  [[2, -2], [0, 0], 1],
  [[1, -2], [-1, 0], 1],
  [[2, -1], [0, 1], 1],
];
const NORTH_EAST_PAIRS_OTHER: [Point, Point, number][] = [
  [[1, -1], [-1, 1], 1],
  [[2, -2], [0, 0], 1],
  [[0, -1], [-1, 0], 0.5],
  [[1, 0], [0, 1], 0.5],
  [[1, -2], [0, -1], 0.5],
  [[2, -1], [1, 0], 0.5],
];

/** Points whose means stand for the colours in a direction: own colour, and the two others by where they lie. */
interface Means {
  own: Point[];
  first: Point[];
  second: Point[];
}
/** At red and blue: first is green, second the opposite colour. */
const NORTH_OTHER: Means = {
  own: [
    [0, -2],
    [0, 0],
  ],
  first: [[0, -1]],
  second: [
    [-1, -1],
    [1, -1],
  ],
};
const NORTH_EAST_OTHER: Means = {
  own: [
    [2, -2],
    [0, 0],
  ],
  first: [
    [1, -2],
    [0, -1],
    [2, -1],
    [1, 0],
  ],
  second: [[1, -1]],
};
/** At green: first is the colour above and below, second the one to the left and right. */
const NORTH_GREEN: Means = {
  own: [
    [0, -2],
    [0, 0],
  ],
  first: [[0, -1]],
  second: [
    [-1, -2],
    [1, -2],
    [-1, 0],
    [1, 0],
  ],
};
const NORTH_EAST_GREEN: Means = {
  own: [[1, -1]],
  first: [
    [0, -1],
    [2, -1],
  ],
  second: [
    [1, -2],
    [1, 0],
  ],
};

/** A quarter turn: north becomes east. */
const turn = ([x, y]: Point): Point => [-y, x];

interface Direction {
  pairs: [number, number, number][];
  own: number[];
  first: number[];
  second: number[];
}

/** The eight directions for one kind of centre, as offsets in a plane of the given pitch. */
function directionsOf(green: boolean, pitch: number): Direction[] {
  const at = ([x, y]: Point): number => y * pitch + x;
  const straight = { pairs: NORTH_PAIRS, means: green ? NORTH_GREEN : NORTH_OTHER };
  const slanted = {
    pairs: green ? NORTH_EAST_PAIRS_GREEN : NORTH_EAST_PAIRS_OTHER,
    means: green ? NORTH_EAST_GREEN : NORTH_EAST_OTHER,
  };
  const out: Direction[] = [];
  for (const start of [straight, slanted]) {
    let { pairs } = start;
    let { own, first, second } = start.means;
    for (let quarter = 0; quarter < 4; quarter++) {
      // At green a quarter turn exchanges the colours that lie above and beside.
      const swapped = green && quarter % 2 === 1;
      out.push({
        pairs: pairs.map(([a, b, factor]) => [at(a), at(b), factor]),
        own: own.map(at),
        first: (swapped ? second : first).map(at),
        second: (swapped ? first : second).map(at),
      });
      pairs = pairs.map(([a, b, factor]) => [turn(a), turn(b), factor]);
      own = own.map(turn);
      first = first.map(turn);
      second = second.map(turn);
    }
  }
  return out;
}

const K_LEAST = 1.5;
const K_RANGE = 0.5;

/**
 * Variable number of gradients: of eight gradients about a pixel those up to 1.5 min + 0.5 (max − min) count, and the missing
 * colours are the pixel's own value plus the mean difference of colours in those directions, over 5 × 5 pixels.
 * Source: Chang, Cheung & Pang 1999, Proc. SPIE 3650, 36 (weights of the gradients from memory).
 */
export const gradients: Demosaic = {
  id: "gradients",
  title: "variable number of gradients",
  help: "Interpolates along edges, not across them: sharpest, with the most grain",
  halo: 2,
  shrinks: 1,
  run: (mosaic, width, height, cell: CfaCell) => {
    const w = width + 4;
    const p = padMosaic(mosaic, width, height, 2);
    const planes = [0, 1, 2].map(() => new Float32Array(width * height));
    const atGreen = directionsOf(true, w);
    const atOther = directionsOf(false, w);
    const size = new Float64Array(8);
    const mean = (k: number, offsets: number[]): number => {
      let sum = 0;
      for (let n = 0; n < offsets.length; n++) sum += p[k + offsets[n]];
      return sum / offsets.length;
    };
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const k = (y + 2) * w + x + 2;
        const own = cell[(y & 1) * 2 + (x & 1)];
        const directions = own === 1 ? atGreen : atOther;
        let least = Infinity;
        let most = 0;
        for (let d = 0; d < 8; d++) {
          const { pairs } = directions[d];
          let sum = 0;
          for (let n = 0; n < pairs.length; n++) {
            const pair = pairs[n];
            sum += Math.abs(p[k + pair[0]] - p[k + pair[1]]) * pair[2];
          }
          size[d] = sum;
          if (sum < least) least = sum;
          if (sum > most) most = sum;
        }
        const limit = K_LEAST * least + K_RANGE * (most - least);
        let count = 0;
        let ownSum = 0;
        let firstSum = 0;
        let secondSum = 0;
        for (let d = 0; d < 8; d++) {
          if (size[d] > limit) continue;
          count++;
          ownSum += mean(k, directions[d].own);
          firstSum += mean(k, directions[d].first);
          secondSum += mean(k, directions[d].second);
        }
        // Where NaN left no direction, the colours are unknown.
        const firstValue = p[k] + (firstSum - ownSum) / count;
        const secondValue = p[k] + (secondSum - ownSum) / count;
        planes[own][i] = p[k];
        if (own === 1) {
          const beside = cell[(y & 1) * 2 + ((x + 1) & 1)];
          planes[2 - beside][i] = firstValue;
          planes[beside][i] = secondValue;
        } else {
          planes[1][i] = firstValue;
          planes[2 - own][i] = secondValue;
        }
      }
    return rasterOf(width, height, planes);
  },
};
