import type { Region } from "../../raster";
import { wholeRegion } from "../../raster";
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

  /** Tables and scratch for bands of so many axes and levels; `write` puts a band's tables there and gives what the kernel gets of them. */
  function tablesFor(arena: ReturnType<typeof openArena>, bands: readonly MixtureBand[]) {
    const axes = Math.max(0, ...bands.map((band) => band.axes));
    const levels = Math.max(0, ...bands.map((band) => band.levels));
    const names = ["project", "back", "gains", "offsets"] as const;
    const sizes = { project: axes * NEIGHBOURS, back: axes, gains: axes * levels, offsets: levels };
    const at = names.map((name) => arena.take(sizes[name]));
    const scratch = arena.take(4 * (4 * axes + 2 * levels + axes * (NEIGHBOURS + levels)));
    const write = (band: MixtureBand, line: number): number[] => {
      names.forEach((name, k) => arena.writeFloats(at[k], band[name]));
      const [project, back, gains, offsets] = at;
      return [project, back, band.axes, gains, offsets, band.levels, line, scratch];
    };
    return write;
  }

  function mixtureOfBand(plane: Float32Array, width: number, height: number, step: number, band: MixtureBand) {
    checkPlane(plane, width, height);
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const n = pitch * height;
    const [coefficients, none, out] = [arena.take(n), arena.take(n), arena.take(n)];
    const line = arena.take(5 * (pitch + 4 * step + 16));
    const write = tablesFor(arena, [band]);
    arena.ensure();
    arena.write(coefficients, plane, width, height, pitch);
    arena.zero(none, n);
    arena.zero(out, n);
    const whole = [0, 0, width, height];
    wasm.mixtureInto(out, coefficients, none, width, height, pitch, step, ...write(band, line), ...whole);
    return arena.read(out, width, height, pitch);
  }

  function mixtureShrink(
    plane: Float32Array,
    width: number,
    height: number,
    bands: readonly MixtureBand[],
    kept: Region = wholeRegion({ width, height }),
  ): Float32Array {
    checkPlane(plane, width, height);
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const n = pitch * height;
    let [current, smooth] = [arena.take(n), arena.take(n)];
    const out = arena.take(n);
    const line = arena.take(5 * (pitch + 4 * 2 ** bands.length + 16));
    const write = tablesFor(arena, bands);
    arena.ensure();
    arena.write(current, plane, width, height, pitch);
    arena.zero(out, n);
    // Four pixels go together: from a multiple of four on.
    const columns = [4 * Math.floor(kept.x / 4), kept.y, kept.x + kept.width, kept.y + kept.height];
    bands.forEach((band, scale) => {
      const step = 1 << scale;
      wasm.b3Smooth(current, smooth, width, height, pitch, step, line);
      wasm.mixtureInto(out, current, smooth, width, height, pitch, step, ...write(band, line), ...columns);
      [current, smooth] = [smooth, current];
    });
    wasm.addInto(out, current, n);
    return arena.read(out, width, height, pitch);
  }

  return { mixtureShrink, mixtureOfBand };
}
