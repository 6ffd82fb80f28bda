/**
 * Interpolation weights by phase: `taps` samples along an axis, at `phases` + 1 positions between two pixels. Four taps are those of Keys' cubic
 * (a = −1/2), which a kernel may work out as the polynomial that it is.
 */
export interface WeightTable {
  taps: 2 | 4 | 6 | 8;
  phases: number;
  /** `(phases + 1) * taps` weights, each row of sum 1. */
  weights: Float32Array;
  /** How each weight changes with the position, per pixel; as many. */
  slopes: Float32Array;
}

/**
 * Places of a grid of output pixels in the source, in its own pixels. Within a block, pixel (i, j) of the grid, counted from the grid's first, lies
 * at (a i + b j + c, d i + e j + f). Blocks are squares that begin at multiples of their side, as counted from where `x` and `y` are
 * counted; so results do not depend on how a picture is cut into grids.
 */
export interface GridPlaces {
  /** Six numbers a block, a to f, by rows of blocks. */
  matrices: Float64Array;
  columns: number;
  rows: number;
  /** Where the grid's first pixel lies in the picture that is made. */
  x: number;
  y: number;
  /** Side of a block; 0 where the whole grid is one. */
  block: number;
}

/**
 * Places of a grid of output pixels in the source, in its own pixels: a linear map and a cubic B-spline. Pixel (i, j)
 * lies at (a i + b j + c, d i + e j + f) of `matrix`, plus Σ wx(k) wy(l) (dx, dy) over the 4 × 4 nodes around
 * (u + i perPx, v + j perPx), those beyond the mesh being its outermost ones.
 */
export interface MeshPlaces {
  columns: number;
  rows: number;
  matrix: readonly [number, number, number, number, number, number];
  nodes: { columns: number; rows: number; dx: Float32Array; dy: Float32Array };
  /** The grid's first pixel, in nodes of the mesh; and how many nodes a pixel is. */
  u: number;
  v: number;
  perPx: number;
}

/** What becomes of a value at pixel (i, j) of the grid: value · scale + level + dx i + dy j. */
export interface Levels {
  scale: number;
  level: number;
  dx: number;
  dy: number;
}

export interface ResampleKernels {
  /**
   * The value of each plane at each place, interpolated separably, then brought to `levels` (one a plane). Where a place lies outside the source by
   * more than half a pixel, or any sample under it is NaN, the value is NaN; samples beyond the border repeat the border pixel. A value below the
   * least of the 4 × 4 nearest samples is raised to it. Where the grid nearly agrees with the source's pixels (`isNear`), the kernel's columns follow
   * those of the grid. What comes out lies in the planes `into`, if they are given. RangeError for planes, levels or matrices of a wrong length.
   */
  resample(
    planes: readonly Float32Array[],
    width: number,
    height: number,
    table: WeightTable,
    places: GridPlaces,
    levels: readonly Levels[],
    into?: readonly Float32Array[],
  ): Float32Array[];
  /** The same at the places of a mesh, each pixel at its own. RangeError for planes, levels or nodes of a wrong length. */
  resampleMesh(
    planes: readonly Float32Array[],
    width: number,
    height: number,
    table: WeightTable,
    places: MeshPlaces,
    levels: readonly Levels[],
    into?: readonly Float32Array[],
  ): Float32Array[];
}

/** Greatest difference from whole steps of one pixel at which a kernel may lean with the grid: a quarter of a degree, half a percent. */
const NEAR = 0.005;

/** Whether a grid nearly agrees with the source's pixels, either axis as it is or mirrored. */
export const isNear = ([a, b, , d, e]: ArrayLike<number> & Iterable<number>, taps: number): boolean =>
  taps > 2 &&
  Math.abs(Math.abs(a) - 1) <= NEAR &&
  Math.abs(b) <= NEAR &&
  Math.abs(d) <= NEAR &&
  Math.abs(Math.abs(e) - 1) <= NEAR;

/** Blocks of a grid, by rows: their first pixels within the grid, and their sizes. */
export function blocksOf({ columns, rows, x, y, block }: Omit<GridPlaces, "matrices">) {
  const spans = (from: number, count: number): [start: number, length: number][] => {
    if (block === 0) return [[0, count]];
    const found: [number, number][] = [];
    for (let start = 0; start < count;) {
      const length = Math.min(count - start, block - ((((from + start) % block) + block) % block));
      found.push([start, length]);
      start += length;
    }
    return found;
  };
  const across = spans(x, columns);
  return spans(y, rows).flatMap(([j, height]) => across.map(([i, width]) => ({ i, j, width, height })));
}

export function checkPlaces(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  places: GridPlaces,
  levels: readonly Levels[],
): void {
  const blocks = blocksOf(places).length;
  if (
    width < 1 ||
    height < 1 ||
    levels.length !== planes.length ||
    places.matrices.length !== 6 * blocks ||
    planes.some((plane) => plane.length !== width * height)
  )
    throw new RangeError(
      `planes must hold ${width}×${height} samples, with levels of each and 6 numbers for each of ${blocks} blocks, received ${levels.length} levels for ${planes.length} planes and ${places.matrices.length} numbers`,
    );
}

export function checkMesh(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  { nodes }: MeshPlaces,
  levels: readonly Levels[],
): void {
  const count = nodes.columns * nodes.rows;
  if (
    width < 1 ||
    height < 1 ||
    levels.length !== planes.length ||
    count < 1 ||
    nodes.dx.length !== count ||
    nodes.dy.length !== count ||
    planes.some((plane) => plane.length !== width * height)
  )
    throw new RangeError(
      `planes must hold ${width}×${height} samples, with levels of each, and a mesh ${count} nodes, received ${levels.length} levels for ${planes.length} planes and ${nodes.dx.length} nodes`,
    );
}
