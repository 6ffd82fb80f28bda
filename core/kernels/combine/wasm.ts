import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { CombineKernels, CombineResult } from "./contract";
import { checkCube, checkModel, emptyResult, layersOf } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  combineBlock(...args: number[]): void;
  expectedBlock(...args: number[]): void;
  centreBlock(...args: number[]): void;
}

/** Bytes of samples that are combined in one go: they should stay in a core's own cache. */
const BLOCK_BYTES = 512 * 1024;

/** Pixels of a block, a multiple of 16. */
const blockOf = (n: number, pixels: number): number =>
  Math.max(16, Math.min(Math.ceil(pixels / 16) * 16, Math.floor(BLOCK_BYTES / (4 * n * 16)) * 16));

export function combineWasm(module: WasmModule): CombineKernels {
  const wasm = module as Exports;
  return {
    combine(cube, n, pixels, weights, { by, rejector, limits }, given) {
      checkCube(cube, n, pixels, weights);
      const model = rejector.narrow ? null : checkModel(given, n, pixels);
      const table = rejector.table?.(n, limits);
      const out = emptyResult(pixels);
      const block = blockOf(n, pixels);
      const arena = openArena(wasm);
      const pairs = sortingNetwork(n);
      const halfPairs = by === "median" ? sortingNetwork(Math.ceil(n / 2)) : [];
      const at = {
        cube: arena.take(n * block),
        weights: arena.take(2 * n),
        table: arena.take(table ? 2 * table.values.length : 0),
        layers: arena.take(model ? 12 * (n + 1) : 0),
        planes: arena.take(model ? 4 * block : 0),
        pairs: arena.take(pairs.length),
        halfPairs: arena.take(halfPairs.length),
        sorted: arena.take(4 * n + 12),
        inner: arena.take(4 * n),
        mean: arena.take(block),
        a: arena.take(block),
        b: arena.take(block),
        // Counts of a vector are laid down as whole words for a moment, two words beyond the last.
        kept: arena.take(block / 2 + 2),
        coverage: arena.take(block / 2 + 2),
        below: arena.take(block / 2 + 2),
      };
      arena.ensure();
      arena.writeDoubles(at.weights, Float64Array.from(weights));
      if (table) arena.writeDoubles(at.table, table.values);
      // Each number four times over, as the kernel's vectors take it.
      if (model)
        arena.writeFloats(
          at.layers,
          Float32Array.from(layersOf(model, n)).reduce(
            (all, v, k) => (all.fill(v, 4 * k, 4 * k + 4), all),
            new Float32Array(12 * (n + 1)),
          ),
        );
      arena.writeIntegers(at.pairs, pairs);
      arena.writeIntegers(at.halfPairs, halfPairs);
      const isMedian = by === "median" ? 1 : 0;
      const networks = [at.pairs, pairs.length / 2, at.halfPairs, halfPairs.length / 2, at.sorted, at.inner] as const;
      const results = [at.mean, at.a, at.b, at.kept, at.coverage, at.below] as const;
      for (let from = 0; from < pixels; from += block) {
        const count = Math.min(block, pixels - from);
        const vectors = Math.ceil(count / 4) * 4;
        for (let i = 0; i < n; i++)
          arena.writeFloats(at.cube + 4 * i * block, cube.subarray(i * pixels + from, i * pixels + from + count));
        if (model) {
          [model.centre, model.spread, model.curvature, model.slope].forEach((plane, k) =>
            arena.writeFloats(at.planes + 4 * k * block, plane.subarray(from, from + count)),
          );
          const { low, high } = limits;
          const where = [at.cube, n, block, vectors, at.weights, at.layers, at.planes] as const;
          wasm.expectedBlock(...where, model.sky, low, high, isMedian, ...networks, ...results);
        } else {
          const lookUp = [at.table, table?.row ?? 0] as const;
          const how = [rejector.twin, limits.low, limits.high, ...lookUp, isMedian] as const;
          wasm.combineBlock(at.cube, n, block, vectors, at.weights, ...how, ...networks, ...results);
        }
        out.mean.set(arena.floats(at.mean, count), from);
        out.a.set(arena.floats(at.a, count), from);
        out.b.set(arena.floats(at.b, count), from);
        out.kept.set(arena.shorts(at.kept, count), from);
        out.coverage.set(arena.shorts(at.coverage, count), from);
        out.below.set(arena.shorts(at.below, count), from);
      }
      countInto(out);
      return out;
    },

    centres(cube, n, pixels) {
      checkCube(cube, n, pixels);
      const block = blockOf(n, pixels);
      const arena = openArena(wasm);
      const pairs = sortingNetwork(n);
      const at = {
        cube: arena.take(n * block),
        pairs: arena.take(pairs.length),
        sorted: arena.take(4 * n + 8),
        coverage: arena.take(8),
        median: arena.take(block),
        spread: arena.take(block),
      };
      arena.ensure();
      arena.writeIntegers(at.pairs, pairs);
      const out = { median: new Float32Array(pixels), spread: new Float32Array(pixels) };
      for (let from = 0; from < pixels; from += block) {
        const count = Math.min(block, pixels - from);
        for (let i = 0; i < n; i++)
          arena.writeFloats(at.cube + 4 * i * block, cube.subarray(i * pixels + from, i * pixels + from + count));
        const where = [at.cube, n, block, Math.ceil(count / 4) * 4, at.pairs, pairs.length / 2] as const;
        wasm.centreBlock(...where, at.sorted, at.coverage, at.median, at.spread);
        out.median.set(arena.floats(at.median, count), from);
        out.spread.set(arena.floats(at.spread, count), from);
      }
      return out;
    },
  };
}

function countInto(out: CombineResult): void {
  for (let p = 0; p < out.kept.length; p++) {
    out.samples += out.coverage[p];
    out.rejected += out.coverage[p] - out.kept[p];
  }
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
