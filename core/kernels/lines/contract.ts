/** Sums along lines that rise by 0 … size − 1 px over `size` columns: values[rise · rows + start + size], start being the row at column 0. */
export interface LineSums {
  values: Float32Array;
  /** The power of two that holds the width. */
  size: number;
  /** Rows of starts, −size … height − 1. */
  rows: number;
}

export interface LineKernels {
  /**
   * Sums of a plane along all straight lines of an octant. A strip of 2^k columns is made of two of half its width; rows lie together, so that the
   * inner loop runs along them. O(n² log n). Source: the fast Hough transform, Brady 1998, SIAM J. Comput. 27, 107.
   */
  lineSums(plane: Float32Array, width: number, height: number): LineSums;
}

/** The plane with its columns laid down as rows of starts, and room for lines that begin above it. */
export function columnsOf(plane: Float32Array, width: number, height: number): LineSums {
  const size = 2 ** Math.ceil(Math.log2(width));
  const rows = height + size;
  const values = new Float32Array(rows * size);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) values[x * rows + y + size] = plane[y * width + x];
  return { values, size, rows };
}
