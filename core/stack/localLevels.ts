import type { Raster, Region } from "../raster";

/** A mesh of square patches over a stack; node (i, j) stands for the middle of its patch. */
export interface LevelMesh {
  step: number;
  columns: number;
  rows: number;
}

/** What brings a sub to the others place by place: value' = gain · value + offset, both smooth between the nodes of a mesh. */
export interface LocalLevels extends LevelMesh {
  gain: number[];
  /** Per channel. */
  offset: number[][];
}

/** Brings samples of a sub on a tile of the stack to its local levels, in place. */
export function applyLocalLevels(samples: Raster, tile: Region, local: LocalLevels): void {
  const { width, height } = tile;
  const ofGain = surface(local.gain, local, tile);
  const [gains, offsets] = [new Float64Array(width), new Float64Array(width)];
  samples.planes.forEach((plane, c) => {
    const ofOffset = surface(local.offset[c], local, tile);
    for (let y = 0, p = 0; y < height; y++) {
      ofGain(y, gains);
      ofOffset(y, offsets);
      for (let x = 0; x < width; x++, p++) plane[p] = plane[p] * gains[x] + offsets[x];
    }
  });
}

/** Gain and offset of a channel at any place of the stack. */
export function localLevelsAt(
  local: LocalLevels,
  channel: number,
): (x: number, y: number) => [gain: number, offset: number] {
  const out = new Float64Array(1);
  return (x, y) => {
    const tile = { x, y, width: 1, height: 1 };
    const [gain, offset] = [local.gain, local.offset[channel]].map((nodes) => {
      surface(nodes, local, tile)(0, out);
      return out[0];
    });
    return [gain, offset];
  };
}

/** Weights of the four nodes around a place t between the second and third: the cubic B-spline, which smooths and keeps planes. */
function splineAt(t: number): [number, number, number, number] {
  const s = 1 - t;
  return [(s * s * s) / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (3 * s * s * s - 6 * s * s + 4) / 6, (t * t * t) / 6];
}

/** The rows of a smooth surface through a mesh's nodes, on a tile; beyond the outermost nodes it goes on as it rose. Source: de Boor 1978, A Practical Guide to Splines. */
function surface(nodes: readonly number[], mesh: LevelMesh, tile: Region): (y: number, out: Float64Array) => void {
  const { step, columns, rows } = mesh;
  const line = (k: number, count: number, value: (i: number) => number): number => {
    if (k >= 0 && k < count) return value(k);
    if (count === 1) return value(0);
    const [edge, inner] = k < 0 ? [0, 1] : [count - 1, count - 2];
    return value(edge) + (value(edge) - value(inner)) * (k < 0 ? -k : k - edge);
  };
  const placeOf = (pixel: number) => {
    const at = (pixel + 0.5) / step - 0.5;
    return { first: Math.floor(at) - 1, weights: splineAt(at - Math.floor(at)) };
  };
  const across = Array.from({ length: tile.width }, (_, x) => placeOf(tile.x + x));
  const from = across[0]?.first ?? 0;
  const count = (across.at(-1)?.first ?? 0) + 4 - from;
  const column = new Float64Array(count);
  return (y, out) => {
    const { first, weights } = placeOf(tile.y + y);
    for (let k = 0; k < count; k++)
      column[k] = weights.reduce(
        (sum, w, r) => sum + w * line(first + r, rows, (j) => line(from + k, columns, (i) => nodes[j * columns + i])),
        0,
      );
    for (let x = 0; x < out.length; x++) {
      const { first: at, weights: own } = across[x];
      const k = at - from;
      out[x] = own[0] * column[k] + own[1] * column[k + 1] + own[2] * column[k + 2] + own[3] * column[k + 3];
    }
  };
}
