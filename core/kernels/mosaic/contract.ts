/** Channel (0 red, 1 green, 2 blue) of each pixel of the 2 × 2 cell of a mosaic: index (y & 1) · 2 + (x & 1). */
export type CfaCell = readonly [number, number, number, number];

/** Ways to interpolate colours that are kernels; what each does is said in calibrate/demosaic/. */
export const INTERPOLATIONS = ["bilinear", "linear5", "limited", "gradients"] as const;
export type Interpolation = (typeof INTERPOLATIONS)[number];

export interface MosaicKernels {
  /**
   * Red, green and blue of a mosaic whose pixel (0, 0) begins `cell`. Outside it is mirrored about its outermost pixels, which keeps the colours
   * in step. NaN is unknown, and so is what is interpolated from it. RangeError for a plane of a wrong length, or where the greens of the cell lie
   * beside each other.
   */
  demosaic(how: Interpolation, mosaic: Float32Array, width: number, height: number, cell: CfaCell): Float32Array[];
}

/** Throws RangeError unless the greens lie on a diagonal and red and blue on the other. */
export function checkCell(cell: CfaCell): void {
  const isBayer = [0, 1].some(
    (g) => cell[g] === 1 && cell[3 - g] === 1 && cell[1 - g] + cell[2 + g] === 2 && cell[1 - g] !== 1,
  );
  if (!isBayer) throw new RangeError(`a mosaic's cell must have two greens on a diagonal, received ${cell.join(" ")}`);
}

/** Pixels around a mosaic that all ways of interpolating look at. */
export const PAD = 2;

/** Most that one colour's detail may count for in another, over what it is there. */
export const MOST_RATIO = 1.5;

/** Of the gradients those count that are at most this many times the least, and this share of the range above. */
export const LEAST_SHARE = 1.5;
export const RANGE_SHARE = 0.5;

type Point = readonly [dx: number, dy: number];
type Pair = readonly [Point, Point, number];

/** A direction in which colours may be interpolated: pairs of points whose differences tell its gradient, and points whose means stand for the colours. */
export interface Direction {
  pairs: readonly Pair[];
  own: readonly Point[];
  /** At red and blue green; at green the colour above and below. */
  first: readonly Point[];
  /** At red and blue the opposite colour; at green the colour to the left and right. */
  second: readonly Point[];
}

/** What north is at every pixel. */
const NORTH: Omit<Direction, "second"> = {
  pairs: [
    [[0, -1], [0, 1], 1],
    [[0, -2], [0, 0], 1],
    [[-1, -1], [-1, 1], 0.5],
    [[1, -1], [1, 1], 0.5],
    [[-1, -2], [-1, 0], 0.5],
    [[1, -2], [1, 0], 0.5],
  ],
  own: [
    [0, -2],
    [0, 0],
  ],
  first: [[0, -1]],
};

/** North and north-east; the other directions follow by quarter turns. */
const AT_OTHER: readonly Direction[] = [
  {
    ...NORTH,
    second: [
      [-1, -1],
      [1, -1],
    ],
  },
  {
    pairs: [
      [[1, -1], [-1, 1], 1],
      [[2, -2], [0, 0], 1],
      [[0, -1], [-1, 0], 0.5],
      [[1, 0], [0, 1], 0.5],
      [[1, -2], [0, -1], 0.5],
      [[2, -1], [1, 0], 0.5],
    ],
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
  },
];

const AT_GREEN: readonly Direction[] = [
  {
    ...NORTH,
    second: [
      [-1, -2],
      [1, -2],
      [-1, 0],
      [1, 0],
    ],
  },
  {
    pairs: [
      [[1, -1], [-1, 1], 1],
      [[2, -2], [0, 0], 1],
      [[1, -2], [-1, 0], 1],
      [[2, -1], [0, 1], 1],
    ],
    own: [[1, -1]],
    first: [
      [0, -1],
      [2, -1],
    ],
    second: [
      [1, -2],
      [1, 0],
    ],
  },
];

/** A quarter turn: north becomes east. */
const turn = ([x, y]: Point): Point => [-y, x];

/** The eight directions about a green pixel, or about a red or blue one. */
export function directionsAt(green: boolean): Direction[] {
  return (green ? AT_GREEN : AT_OTHER).flatMap((start) => {
    const out = [start];
    for (let quarter = 1; quarter < 4; quarter++) {
      const { pairs, own, first, second } = out[quarter - 1];
      const turned = [first, second].map((points) => points.map(turn));
      out.push({
        pairs: pairs.map(([a, b, factor]) => [turn(a), turn(b), factor]),
        own: own.map(turn),
        // At green a quarter turn exchanges the colours that lie above and beside.
        first: turned[green ? 1 : 0],
        second: turned[green ? 0 : 1],
      });
    }
    return out;
  });
}
