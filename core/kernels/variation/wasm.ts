import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { VariationKernels } from "./contract";
import { mirrored } from "../../raster/mirrored";
import { momenta, SECOND_MARGIN, SECOND_STEP } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  variationStart(...numbers: number[]): void;
  variationSteps(...numbers: number[]): void;
  variationEnd(...numbers: number[]): void;
  secondSteps(...numbers: number[]): void;
}

/** A core's own cache, of which all rows that are worked on together may fill a part. */
const OWN_CACHE = 512 * 1024;
/** How many steps may sweep one behind the other, two rows apart, for rows of so many bytes in all planes. */
const stepsTogether = (row: number) => Math.max(1, Math.floor(OWN_CACHE / (2 * row)));
/** A row of the first-order kind has so many planes: the picture and four of dual variables. The second-order kind has twelve. */
const FIRST_PLANES = 5;
const SECOND_PLANES = 12;

export function variationWasm(module: WasmModule): VariationKernels {
  const wasm = module as Exports;
  return {
    totalVariation(plane, width, height, { weight, iterations }) {
      checkPlane(plane, width, height);
      if (!(weight > 0)) return plane.slice();
      const arena = openArena(wasm);
      const pitch = 4 * Math.ceil(width / 4);
      const row = 4 * FIRST_PLANES * pitch;
      const together = stepsTogether(row);
      const cells = arena.take((row / 4) * (height + 2)) + row;
      const own = arena.take(pitch * height);
      const [room, carried] = [arena.take(2 * together * (pitch + 4)), arena.take(iterations)];
      arena.ensure();
      arena.write(own, plane, width, height, pitch);
      arena.writeFloats(carried, Float32Array.from(momenta(iterations)));
      wasm.variationStart(own, width, height, pitch, cells, row);
      for (let done = 0; done < iterations; done += together) {
        const steps = Math.min(together, iterations - done);
        wasm.variationSteps(cells, row, width, height, weight, carried + 4 * done, steps, room);
      }
      wasm.variationEnd(cells, row, width, height, pitch, weight, own);
      return arena.read(own, width, height, pitch);
    },
    secondVariation(plane, width, height, { weight, bend, iterations }) {
      checkPlane(plane, width, height);
      if (!(weight > 0)) return plane.slice();
      const { grown, pitch, rows } = mirrored(plane, width, height, SECOND_MARGIN);
      const n = pitch * rows;
      const arena = openArena(wasm);
      // A row of zeros before and after each plane, for what is read beyond its ends.
      const guard = 16 * Math.ceil((pitch + 4) / 16);
      const taken = Array.from({ length: SECOND_PLANES }, () => arena.take(n + guard));
      arena.take(guard);
      const table = arena.take(SECOND_PLANES);
      arena.ensure();
      arena.zero(taken[0], (table - taken[0]) / 4);
      const planes = taken.map((at) => at + 4 * guard);
      arena.writeIntegers(table, planes);
      const [bar, x] = [planes[0], planes[9]];
      for (const at of [bar, planes[8], x]) arena.writeFloats(at, grown);
      const together = stepsTogether(4 * SECOND_PLANES * pitch);
      for (let done = 0; done < iterations; done += together) {
        const steps = Math.min(together, iterations - done);
        wasm.secondSteps(table, rows, pitch, SECOND_STEP, weight, bend * weight, steps);
      }
      const first = x + 4 * (SECOND_MARGIN * pitch + SECOND_MARGIN);
      return arena.read(first, width, height, pitch);
    },
  };
}
