import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { CombineKernels } from "./contract";
import { checkCube, emptyResult } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  combineBlock(
    cube: number,
    n: number,
    pitch: number,
    pixels: number,
    weights: number,
    rejector: number,
    low: number,
    high: number,
    median: number,
    pairs: number,
    pairCount: number,
    halfPairs: number,
    halfPairCount: number,
    sorted: number,
    mean: number,
    a: number,
    b: number,
    kept: number,
    coverage: number,
  ): void;
}

/** Bytes of samples that are combined in one go: they should stay in a core's own cache. */
const BLOCK_BYTES = 512 * 1024;

export function combineWasm(module: WasmModule): CombineKernels {
  const wasm = module as Exports;
  return {
    combine(cube, n, pixels, weights, { by, rejector, limits }) {
      checkCube(cube, n, pixels, weights);
      const out = emptyResult(pixels);
      const block = Math.max(16, Math.min(Math.ceil(pixels / 4) * 4, Math.floor(BLOCK_BYTES / (4 * n * 16)) * 16));
      const arena = openArena(wasm);
      const pairs = sortingNetwork(n);
      const halfPairs = by === "median" ? sortingNetwork(Math.ceil(n / 2)) : [];
      const at = {
        cube: arena.take(n * block),
        weights: arena.take(2 * n),
        pairs: arena.take(pairs.length),
        halfPairs: arena.take(halfPairs.length),
        sorted: arena.take(4 * n + 8),
        mean: arena.take(block),
        a: arena.take(block),
        b: arena.take(block),
        // Counts of a vector are laid down as whole words for a moment, two words beyond the last.
        kept: arena.take(block / 2 + 2),
        coverage: arena.take(block / 2 + 2),
      };
      arena.ensure();
      arena.writeDoubles(at.weights, Float64Array.from(weights));
      arena.writeIntegers(at.pairs, pairs);
      arena.writeIntegers(at.halfPairs, halfPairs);
      for (let from = 0; from < pixels; from += block) {
        const count = Math.min(block, pixels - from);
        for (let i = 0; i < n; i++)
          arena.writeFloats(at.cube + 4 * i * block, cube.subarray(i * pixels + from, i * pixels + from + count));
        wasm.combineBlock(
          ...([at.cube, n, block, Math.ceil(count / 4) * 4, at.weights] as const),
          ...([rejector.twin, limits.lowSigma, limits.highSigma, by === "median" ? 1 : 0] as const),
          ...([at.pairs, pairs.length / 2, at.halfPairs, halfPairs.length / 2, at.sorted] as const),
          ...([at.mean, at.a, at.b, at.kept, at.coverage] as const),
        );
        out.mean.set(arena.floats(at.mean, count), from);
        out.a.set(arena.floats(at.a, count), from);
        out.b.set(arena.floats(at.b, count), from);
        out.kept.set(arena.shorts(at.kept, count), from);
        out.coverage.set(arena.shorts(at.coverage, count), from);
      }
      for (let p = 0; p < pixels; p++) {
        out.samples += out.coverage[p];
        out.rejected += out.coverage[p] - out.kept[p];
      }
      return out;
    },
  };
}

/** Batcher's odd–even merge sort for any n: pairs of byte offsets of vectors, the lesser to the first. */
function sortingNetwork(n: number): number[] {
  const pairs: number[] = [];
  for (let p = 1; p < n; p *= 2)
    for (let k = p; k >= 1; k = Math.floor(k / 2))
      for (let j = k % p; j + k < n; j += 2 * k)
        for (let i = 0; i < Math.min(k, n - j - k); i++)
          if (Math.floor((i + j) / (2 * p)) === Math.floor((i + j + k) / (2 * p)))
            pairs.push(16 * (i + j), 16 * (i + j + k));
  return pairs;
}
