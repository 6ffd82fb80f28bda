import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { BlockKernels } from "./contract";
import { BLOCK, blockPlaces, checkBlocks, COSINES, WINDOW } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  matchRow(...numbers: number[]): void;
  settle(...numbers: number[]): void;
}

const SIZE = BLOCK * BLOCK;
const TRANSPOSED = COSINES.map((_, n) => COSINES[(n % BLOCK) * BLOCK + Math.floor(n / BLOCK)]);

export function blocksWasm(module: WasmModule): BlockKernels {
  const wasm = module as Exports;
  return {
    matchBlocks(plane, pilot, width, height, settings) {
      checkPlane(plane, width, height);
      checkPlane(pilot, width, height);
      checkBlocks(settings);
      if (width < BLOCK || height < BLOCK) return plane.slice();
      const { step, originX, originY, search, group, variance, threshold } = settings;
      const pitch = pitchFor(width);
      const xs = blockPlaces(width, step, originX);
      const arena = openArena(wasm);
      const [noisy, shown, sums, weights] = [0, 1, 2, 3].map(() => arena.take(pitch * height + 16));
      const places = arena.take(xs.length);
      const tables = arena.take(4 * SIZE);
      const work = arena.take(128 + 3 * group * SIZE + 2 * SIZE);
      arena.ensure();
      arena.write(noisy, plane, width, height, pitch);
      arena.write(shown, pilot, width, height, pitch);
      arena.zero(sums, pitch * height);
      arena.zero(weights, pitch * height);
      arena.writeIntegers(places, xs);
      [COSINES, TRANSPOSED, WINDOW, variance].forEach((table, k) => arena.writeFloats(tables + 4 * SIZE * k, table));
      const limit = threshold === null ? -1 : threshold ** 2;
      for (const y of blockPlaces(height, step, originY))
        wasm.matchRow(
          ...[noisy, shown, pitch, width, height, y, places, xs.length],
          ...[search, group, limit, tables, work, sums, weights],
        );
      wasm.settle(sums, weights, width, height, pitch);
      return arena.read(sums, width, height, pitch);
    },
  };
}
