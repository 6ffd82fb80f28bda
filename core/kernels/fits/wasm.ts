import type { FitResult } from "../../numeric/leastSquares";
import type { Arena, WasmModule } from "../arena";
import { openArena } from "../arena";
import type { FitKernels, FitSquare } from "./contract";
import { checkSquare } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  fitsPoints(...args: number[]): void;
  fitsPeak(...args: number[]): void;
}

/** Lays a square, parameters and working room out in the memory; `more` doubles beside them. */
function laidOut(arena: Arena, { data, inverse }: FitSquare, start: Float64Array, more = 0) {
  const doubles = (count: number) => arena.take(2 * count);
  const n = start.length + 1;
  const at = {
    data: doubles(data.length),
    inverse: doubles(data.length),
    start: doubles(n),
    room: doubles((3 * n + 5) * n),
    told: doubles(2),
    more: doubles(more),
  };
  arena.ensure();
  arena.writeDoubles(at.data, data);
  arena.writeDoubles(at.inverse, inverse);
  arena.writeDoubles(at.start, start);
  return at;
}

function fitOf(arena: Arena, at: { start: number; told: number }, count: number): FitResult {
  const [cost, iterations] = arena.doubles(at.told, 2);
  const parameters = arena.doubles(at.start, count).slice();
  return { parameters, cost, iterations: Math.abs(iterations), converged: iterations > 0 };
}

export function fitsWasm(module: WasmModule): FitKernels {
  const wasm = module as Exports;
  return {
    fitPoints(square, { profiles, shares }, start, { maxIterations, leastGain }) {
      const count = (start.length - 3) / 3;
      checkSquare(square, start.length, Number.isInteger(count) && count > 0 && shares.length === profiles.length);
      const arena = openArena(wasm);
      const entries = profiles[0].powers.length;
      const each = 5 + entries;
      const at = laidOut(arena, square, start, profiles.length * (each + 1));
      profiles.forEach(({ a, b, c, beta, scale, powers }, k) => {
        arena.writeDoubles(at.more + 8 * k * each, Float64Array.of(a, b, c, beta, scale));
        arena.writeDoubles(at.more + 8 * (k * each + 5), powers);
      });
      const of = at.more + 8 * profiles.length * each;
      arena.writeDoubles(of, Float64Array.from(shares));
      const looks = [at.more, of, profiles.length, entries];
      wasm.fitsPoints(
        at.data,
        at.inverse,
        square.side,
        ...looks,
        at.start,
        count,
        at.room,
        maxIterations,
        leastGain,
        at.told,
      );
      return fitOf(arena, at, start.length);
    },
    fitPeak(square, { slopes, x, y, leashPx }, start, { maxIterations, leastGain }) {
      const levels = slopes ? 3 : 1;
      checkSquare(square, start.length, start.length === levels + 7);
      const arena = openArena(wasm);
      const at = laidOut(arena, square, start);
      wasm.fitsPeak(
        at.data,
        at.inverse,
        square.side,
        levels,
        x,
        y,
        leashPx,
        at.start,
        at.room,
        maxIterations,
        leastGain,
        at.told,
      );
      return fitOf(arena, at, start.length);
    },
  };
}
