/**
 * Two layers of 3 × 3 over a plane that is multiplied by `scale` first: `maps` maps of it, softened by
 * x/(1 + |x|), and one plane of those. Beyond the border pixels repeat. `weights`: 9 a map, a bias a
 * map, 9 a map, a bias, as float32 of little-endian bytes. Throws RangeError for another number of them.
 */
export function twoLayers(
  plane: Float32Array,
  width: number,
  height: number,
  weights: Uint8Array,
  maps: number,
  scale: number,
): Float32Array {
  const view = new DataView(weights.buffer, weights.byteOffset, weights.byteLength);
  const count = 19 * maps + 1;
  if (weights.byteLength !== 4 * count)
    throw new RangeError(`${4 * count} bytes of weights, received ${weights.byteLength}`);
  const weight = Array.from({ length: count }, (_, k) => view.getFloat32(4 * k, true));
  const out = new Float32Array(plane.length).fill(weight[count - 1]);
  for (let m = 0; m < maps; m++) {
    const map = convolved3(plane, width, height, weight.slice(9 * m, 9 * m + 9), scale);
    for (let i = 0; i < map.length; i++) {
      const v = map[i] + weight[9 * maps + m];
      map[i] = v / (1 + Math.abs(v));
    }
    const from = 10 * maps + 9 * m;
    const part = convolved3(map, width, height, weight.slice(from, from + 9), 1);
    for (let i = 0; i < out.length; i++) out[i] += part[i];
  }
  return out;
}

function convolved3(plane: Float32Array, width: number, height: number, w: number[], scale: number): Float32Array {
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          const u = Math.min(width - 1, Math.max(0, x + dx));
          const v = Math.min(height - 1, Math.max(0, y + dy));
          sum += w[3 * (dy + 1) + dx + 1] * plane[v * width + u];
        }
      out[y * width + x] = sum * scale;
    }
  return out;
}
