import type { Memory } from "../../memory";
import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { CombineKernels, CombineResult, Means } from "./contract";
import { checkCube, checkModel, emptyResult, layersOf, tableOf } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  combineBlock(...args: number[]): void;
  expectedBlock(...args: number[]): void;
  centreBlock(...args: number[]): void;
}

/** Number of the rejector that rejects nothing in assembly.ts. */
const NONE = 0;

/** Bytes of samples that are combined in one go: they should stay in a core's own cache. */
const BLOCK_BYTES = 512 * 1024;

/** Pixels of a block, a multiple of 16. */
const blockOf = (n: number, pixels: number): number =>
  Math.max(16, Math.min(Math.ceil(pixels / 16) * 16, Math.floor(BLOCK_BYTES / (4 * n * 16)) * 16));

export function combineWasm(module: WasmModule, memory: Memory): CombineKernels {
  const wasm = module as Exports;
  return {
    combine(cube, n, pixels, weights, settings, given, fine) {
      const { by, rejector, limits } = settings;
      checkCube(cube, n, pixels, weights);
      if (fine) checkCube(cube, n, pixels, fine);
      const model = rejector.narrow ? null : checkModel(given, n, pixels);
      const table = tableOf(memory, n, settings);
      const out = emptyResult(pixels, Boolean(fine));
      const block = blockOf(n, pixels);
      const arena = openArena(wasm);
      const at = {
        cube: arena.take(n * block),
        weights: arena.take(2 * n),
        fine: arena.take(2 * n),
        table: arena.take(table ? 2 * table.values.length : 0),
        layers: arena.take(model ? 12 * (n + 1) : 0),
        planes: arena.take(model ? 4 * block : 0),
        sorted: arena.take(4 * wholeEights(n) + 12),
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
      if (fine) arena.writeDoubles(at.fine, Float64Array.from(fine));
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
      const isMedian = by === "median" ? 1 : 0;
      const marks = fine ? 1 : 0;
      const means = ({ mean, a, b }: Means, from: number, count: number) => {
        mean.set(arena.floats(at.mean, count), from);
        a.set(arena.floats(at.a, count), from);
        b.set(arena.floats(at.b, count), from);
      };
      const results = [at.sorted, at.inner, at.mean, at.a, at.b, at.kept, at.coverage, at.below] as const;
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
          wasm.expectedBlock(...where, model.sky, low, high, isMedian, marks, ...results);
        } else {
          const lookUp = [at.table, table?.row ?? 0] as const;
          const how = [rejector.twin, limits.low, limits.high, ...lookUp, isMedian, marks] as const;
          wasm.combineBlock(at.cube, n, block, vectors, at.weights, ...how, ...results);
        }
        means(out, from, count);
        out.kept.set(arena.shorts(at.kept, count), from);
        out.coverage.set(arena.shorts(at.coverage, count), from);
        out.below.set(arena.shorts(at.below, count), from);
        if (!out.fine) continue;
        // What was rejected is marked as no data by now.
        wasm.combineBlock(at.cube, n, block, vectors, at.fine, NONE, 0, 0, 0, 0, 0, 0, ...results);
        means(out.fine, from, count);
      }
      countInto(out);
      return out;
    },

    centres(cube, n, pixels) {
      checkCube(cube, n, pixels);
      const block = blockOf(n, pixels);
      const arena = openArena(wasm);
      const at = {
        cube: arena.take(n * block),
        sorted: arena.take(4 * wholeEights(n) + 8),
        coverage: arena.take(8),
        median: arena.take(block),
        spread: arena.take(block),
      };
      arena.ensure();
      const out = { median: new Float32Array(pixels), spread: new Float32Array(pixels) };
      for (let from = 0; from < pixels; from += block) {
        const count = Math.min(block, pixels - from);
        for (let i = 0; i < n; i++)
          arena.writeFloats(at.cube + 4 * i * block, cube.subarray(i * pixels + from, i * pixels + from + count));
        const where = [at.cube, n, block, Math.ceil(count / 4) * 4, at.sorted] as const;
        wasm.centreBlock(...where, at.coverage, at.median, at.spread);
        out.median.set(arena.floats(at.median, count), from);
        out.spread.set(arena.floats(at.spread, count), from);
      }
      return out;
    },
  };
}

function countInto(out: CombineResult): void {
  const { coverage, kept } = out;
  let [samples, left] = [0, 0];
  for (let p = 0; p < kept.length; p++) {
    samples += coverage[p];
    left += kept[p];
  }
  out.samples = samples;
  out.rejected = samples - left;
}

/** Values are sorted in runs of eight. */
const wholeEights = (n: number): number => Math.ceil(n / 8) * 8;
