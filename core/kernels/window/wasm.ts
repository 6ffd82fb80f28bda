import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { WindowKernels } from "./contract";
import { checkReach, checkTaps, negated } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  correlateInto(...numbers: number[]): void;
  leastAroundInto(...numbers: number[]): void;
}

export function windowWasm(module: WasmModule): WindowKernels {
  const wasm = module as Exports;
  const leastAround: WindowKernels["leastAround"] = (plane, width, height, reach) => {
    checkPlane(plane, width, height);
    checkReach(reach);
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const [src, dst, rows] = [height, height, height + 2 * reach].map((count) => arena.take(pitch * count));
    const line = arena.take(width + 4 * reach + 12);
    arena.ensure();
    arena.write(src, plane, width, height, pitch);
    wasm.leastAroundInto(dst, src, width, height, pitch, reach, rows, line);
    return arena.read(dst, width, height, pitch);
  };
  return {
    leastAround,
    mostAround: (plane, width, height, reach) => negated(leastAround(negated(plane), width, height, reach)),
    correlate(plane, width, height, taps, side) {
      checkPlane(plane, width, height);
      checkTaps(taps, side);
      const arena = openArena(wasm);
      const pitch = pitchFor(width);
      const linePitch = pitch + side + 15;
      const [src, dst] = [arena.take(pitch * height), arena.take(pitch * height)];
      const [at, lines, splats] = [side * side, side * linePitch, 4 * side * side].map((count) => arena.take(count));
      arena.ensure();
      arena.write(src, plane, width, height, pitch);
      arena.writeFloats(at, taps);
      wasm.correlateInto(dst, src, width, height, pitch, at, side, lines, linePitch, splats);
      return arena.read(dst, width, height, pitch);
    },
  };
}
