import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { BlockKernels } from "./contract";
import { BLOCK, blockPlaces, checkBlocks, COSINES, WINDOW } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  blocksGrid(x: number, count: number, cells: number, lists: number): void;
  matchRow(...numbers: number[]): void;
  settle(...numbers: number[]): void;
}

const SIZE = BLOCK * BLOCK;
/** Constants of the cosine transform, each four times over: √(1/8), then cos(k π/16)/2 for k = 1 … 7. */
const CONSTANTS = Float32Array.from({ length: SIZE }, (_, n) => COSINES[Math.floor(n / 4) * BLOCK]);

/** Rows for columns. */
const turned = (block: Float32Array): Float32Array =>
  block.map((_, n) => block[(n % BLOCK) * BLOCK + Math.floor(n / BLOCK)]);

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
      // Blocks of the grid itself look for others together; those at the ends may lie off it.
      const regular = step === 4 ? xs.filter((x) => (x + originX) % step === 0) : [];
      const arena = openArena(wasm);
      const [noisy, shown, sums, weights] = [0, 1, 2, 3].map(() => arena.take(pitch * height + 16));
      const places = arena.take(xs.length);
      const tables = arena.take(3 * SIZE);
      const work = arena.take(128 + 2 * group * SIZE + 2 * SIZE);
      const cells = arena.take(((2 * search + 1) ** 2 + 1) * (regular.length + 8));
      const lists = arena.take(2 * regular.length + 8 + 128 * regular.length);
      arena.ensure();
      arena.write(noisy, plane, width, height, pitch);
      arena.write(shown, pilot, width, height, pitch);
      arena.zero(sums, pitch * height);
      arena.zero(weights, pitch * height);
      arena.writeIntegers(places, xs);
      [CONSTANTS, WINDOW, turned(variance)].forEach((table, k) => arena.writeFloats(tables + 4 * SIZE * k, table));
      const limit = threshold === null ? -1 : threshold ** 2;
      wasm.blocksGrid(regular[0] ?? 0, regular.length, cells, lists);
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
