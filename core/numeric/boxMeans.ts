/** Means over squares of side 2 r + 1 about each place of a plane, of what of them lies in it; sums in double precision, so that a crop has the same. O(1) a pixel. */
export function boxMeans(plane: Float32Array | Float64Array, width: number, height: number, r: number): Float64Array {
  const out = new Float64Array(plane.length);
  // Down the picture with a running sum for each column, and along each row with what they add up to.
  const columns = new Float64Array(width);
  const sums = new Float64Array(width + 1);
  const take = (row: number, sign: number): void => {
    for (let x = 0, i = row * width; x < width; x++, i++) columns[x] += sign * plane[i];
  };
  for (let y = 0; y < Math.min(r, height); y++) take(y, 1);
  for (let y = 0; y < height; y++) {
    if (y + r < height) take(y + r, 1);
    if (y - r > 0) take(y - r - 1, -1);
    const rows = Math.min(height, y + r + 1) - Math.max(0, y - r);
    let sum = 0;
    for (let x = 0; x < width; x++) sums[x + 1] = sum += columns[x];
    const row = y * width;
    const mean = (x: number): void => {
      const [from, to] = [Math.max(0, x - r), Math.min(width, x + r + 1)];
      out[row + x] = (sums[to] - sums[from]) / ((to - from) * rows);
    };
    // Away from the borders all squares have the same size.
    const [first, last] = [Math.min(r, width), Math.max(Math.min(r, width), width - r)];
    for (let x = 0; x < first; x++) mean(x);
    const share = 1 / ((2 * r + 1) * rows);
    for (let x = first; x < last; x++) out[row + x] = (sums[x + r + 1] - sums[x - r]) * share;
    for (let x = last; x < width; x++) mean(x);
  }
  return out;
}
