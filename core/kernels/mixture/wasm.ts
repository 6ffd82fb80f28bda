import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { MixtureBand, MixtureKernels } from "./contract";
import { NEIGHBOURS } from "./contract";

/** What assembly.ts exports, and of the starlet's; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  b3Smooth(src: number, dst: number, w: number, h: number, p: number, step: number, line: number): void;
  addInto(out: number, a: number, n: number): void;
  mixtureInto(...numbers: number[]): void;
}

export function mixtureWasm(module: WasmModule): MixtureKernels {
  const wasm = module as Exports;

  function mixtureShrink(
    plane: Float32Array,
    width: number,
    height: number,
    bands: readonly MixtureBand[],
  ): Float32Array {
    checkPlane(plane, width, height);
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const n = pitch * height;
    let [current, smooth] = [arena.take(n), arena.take(n)];
    const out = arena.take(n);
    const line = arena.take(5 * (pitch + 4 * 2 ** bands.length + 16));
    const axes = Math.max(0, ...bands.map((band) => band.axes));
    const levels = Math.max(0, ...bands.map((band) => band.levels));
    const tables = ["project", "back", "gains", "offsets"] as const;
    const sizes = { project: axes * NEIGHBOURS, back: axes, gains: axes * levels, offsets: levels };
    const at = tables.map((name) => arena.take(sizes[name]));
    const scratch = arena.take(4 * (4 * axes + 2 * levels + axes * (NEIGHBOURS + levels)));
    arena.ensure();
    arena.write(current, plane, width, height, pitch);
    arena.zero(out, n);
    bands.forEach((band, scale) => {
      const step = 1 << scale;
      wasm.b3Smooth(current, smooth, width, height, pitch, step, line);
      tables.forEach((name, k) => arena.writeFloats(at[k], band[name]));
      const [project, back, gains, offsets] = at;
      wasm.mixtureInto(
        ...[out, current, smooth, width, height, pitch, step, project, back, band.axes, gains, offsets, band.levels],
        ...[line, scratch],
      );
      [current, smooth] = [smooth, current];
    });
    wasm.addInto(out, current, n);
    return arena.read(out, width, height, pitch);
  }

  return { mixtureShrink };
}
