import { checkPlane } from "../plane";
import type { BlockKernels, BlockSettings } from "./contract";
import { BLOCK, blockPlaces, checkBlocks, COSINES, WINDOW } from "./contract";

export const blocksPlain: BlockKernels = { matchBlocks };

const SIZE = BLOCK * BLOCK;

function matchBlocks(
  plane: Float32Array,
  pilot: Float32Array,
  width: number,
  height: number,
  settings: BlockSettings,
): Float32Array {
  checkPlane(plane, width, height);
  checkPlane(pilot, width, height);
  checkBlocks(settings);
  if (width < BLOCK || height < BLOCK) return plane.slice();
  const { step, originX, originY, threshold, variance } = settings;
  const sums = new Float64Array(plane.length);
  const weights = new Float64Array(plane.length);
  for (const y of blockPlaces(height, step, originY))
    for (const x of blockPlaces(width, step, originX)) {
      const group = alike(pilot, width, height, x, y, settings);
      const noisy = stackOf(plane, width, group);
      const shown = threshold === null ? stackOf(pilot, width, group) : noisy;
      let left = 0;
      for (let k = 0; k < noisy.length; k++) {
        const v = variance[k % SIZE];
        const power = shown[k] ** 2;
        const gain = threshold === null ? power / (power + v) : power > threshold ** 2 * v ? 1 : 0;
        noisy[k] *= gain;
        left += gain * gain * v;
      }
      const weight = 1 / Math.max(left, 1e-20);
      haar(noisy, group.length, true);
      for (const [k, at] of group.entries()) {
        const block = cosines(noisy.subarray(k * SIZE, (k + 1) * SIZE), true);
        for (let n = 0; n < SIZE; n++) {
          const i = at + Math.floor(n / BLOCK) * width + (n % BLOCK);
          sums[i] += weight * WINDOW[n] * block[n];
          weights[i] += weight * WINDOW[n];
        }
      }
    }
  return plane.map((_, i) => sums[i] / weights[i]);
}

/** First pixels of the most alike blocks, the block itself first; of equals the one in the nearest row, then column. As many as the greatest power of two that there are. */
function alike(
  pilot: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  { search, group }: BlockSettings,
): number[] {
  const [side, here] = [BLOCK, y * width + x];
  const found: { at: number; far: number }[] = [];
  const order = Array.from({ length: 2 * search + 1 }, (_, k) => (k % 2 === 1 ? -(k + 1) / 2 : k / 2));
  const within = (from: number, last: number) => order.map((d) => from + d).filter((at) => at >= 0 && at <= last);
  for (const v of within(y, height - BLOCK))
    for (const u of within(x, width - BLOCK)) {
      const at = v * width + u;
      if (at === here) continue;
      let far = 0;
      for (let j = 0; j < side; j++)
        for (let i = j * width; i < j * width + side; i++) far += (pilot[at + i] - pilot[here + i]) ** 2;
      found.push({ at, far: Math.fround(far) });
    }
  found.sort((p, q) => p.far - q.far);
  const count = Math.min(group, 2 ** Math.floor(Math.log2(found.length + 1)));
  return [here, ...found.slice(0, count - 1).map(({ at }) => at)];
}

/** Blocks as cosines, and the stack of them as Haar wavelets. */
function stackOf(plane: Float32Array, width: number, group: readonly number[]): Float64Array {
  const [side, stack] = [BLOCK, new Float64Array(group.length * SIZE)];
  group.forEach((at, k) => {
    const block = Float64Array.from({ length: SIZE }, (_, n) => plane[at + Math.floor(n / side) * width + (n % side)]);
    stack.set(cosines(block, false), k * SIZE);
  });
  haar(stack, group.length, false);
  return stack;
}

/** The cosine transform along columns and rows, or its inverse. */
function cosines(block: Float64Array, isInverse: boolean): Float64Array {
  const [side, table] = [BLOCK, COSINES];
  // Row k, column i of the transform, or of its inverse, which is its transpose.
  const [alongK, alongI] = isInverse ? [1, side] : [side, 1];
  const columns = new Float64Array(side * side);
  const out = new Float64Array(side * side);
  for (let k = 0; k < side; k++)
    for (let i = 0; i < side; i++) {
      const share = table[k * alongK + i * alongI];
      for (let x = 0; x < side; x++) columns[k * side + x] += share * block[i * side + x];
    }
  for (let y = 0; y < side; y++)
    for (let k = 0; k < side; k++)
      for (let i = 0; i < side; i++) out[y * side + k] += table[k * alongK + i * alongI] * columns[y * side + i];
  return out;
}

/** Orthonormal Haar wavelets over the stack, in place: sums before differences. */
function haar(stack: Float64Array, count: number, isInverse: boolean): void {
  const lengths: number[] = [];
  for (let length = count; length > 1; length /= 2) lengths.push(length);
  const scratch = new Float64Array(stack.length);
  for (const length of isInverse ? lengths.reverse() : lengths) {
    const half = length / 2;
    for (let k = 0; k < half; k++)
      for (let n = 0; n < SIZE; n++) {
        const [p, q] = isInverse ? [k, half + k] : [2 * k, 2 * k + 1];
        const [to, from] = isInverse ? [2 * k, 2 * k + 1] : [k, half + k];
        scratch[to * SIZE + n] = (stack[p * SIZE + n] + stack[q * SIZE + n]) * Math.SQRT1_2;
        scratch[from * SIZE + n] = (stack[p * SIZE + n] - stack[q * SIZE + n]) * Math.SQRT1_2;
      }
    stack.set(scratch.subarray(0, length * SIZE));
  }
}
