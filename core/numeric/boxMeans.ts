/** Means over squares of side 2 r + 1 about each place of a plane, of what of them lies in it; sums in double precision, so that a crop has the same. O(1) a pixel. */
export function boxMeans(plane: Float32Array | Float64Array, width: number, height: number, r: number): Float64Array {
  const out = new Float64Array(plane.length);
  const rows = new Float64Array(plane.length);
  const sums = new Float64Array(width + 1);
  for (let y = 0; y < height; y++) {
    const row = y * width;
    for (let x = 0; x < width; x++) sums[x + 1] = sums[x] + plane[row + x];
    for (let x = 0; x < width; x++) {
      const from = x > r ? x - r : 0;
      const to = x + r < width ? x + r + 1 : width;
      rows[row + x] = (sums[to] - sums[from]) / (to - from);
    }
  }
  // Row by row down the picture, with a running sum for each column.
  const columns = new Float64Array(width);
  const take = (row: number, sign: number): void => {
    for (let x = 0, i = row * width; x < width; x++, i++) columns[x] += sign * rows[i];
  };
  for (let y = 0; y < Math.min(r, height); y++) take(y, 1);
  for (let y = 0; y < height; y++) {
    if (y + r < height) take(y + r, 1);
    if (y - r > 0) take(y - r - 1, -1);
    const count = Math.min(height, y + r + 1) - Math.max(0, y - r);
    for (let x = 0, i = y * width; x < width; x++, i++) out[i] = columns[x] / count;
  }
  return out;
}
