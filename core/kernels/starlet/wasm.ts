import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { ShrinkSettings, StarletKernels } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
export interface StarletExports extends WasmModule {
  b3Smooth(src: number, dst: number, w: number, h: number, p: number, step: number, line: number): void;
  addSignificance(z: number, a: number, b: number, inverseSigma: number, n: number, first: number): void;
  shrinkInto(
    out: number,
    z: number,
    a: number,
    b: number,
    w: number,
    h: number,
    p: number,
    inverseK2: number,
    protect: number,
    line: number,
  ): void;
  addInto(out: number, a: number, n: number): void;
}

export function starletWasm(module: WasmModule): StarletKernels {
  const wasm = module as StarletExports;

  function starletSmooth(plane: Float32Array, width: number, height: number, scale: number): Float32Array {
    checkPlane(plane, width, height);
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const src = arena.take(pitch * height);
    const dst = arena.take(pitch * height);
    const line = arena.take(pitch + 4 * 2 ** scale + 8);
    arena.ensure();
    arena.write(src, plane, width, height, pitch);
    wasm.b3Smooth(src, dst, width, height, pitch, 1 << scale, line);
    return arena.read(dst, width, height, pitch);
  }

  function starletShrink(
    planes: Float32Array[],
    width: number,
    height: number,
    settings: ShrinkSettings,
  ): Float32Array[] {
    const { inverseSigma, k, protect } = settings;
    if (!(k > 0)) return planes.map((plane) => plane.slice());
    const scales = inverseSigma[0].length;
    const arena = openArena(wasm);
    const pitch = pitchFor(width);
    const n = pitch * height;
    const current = planes.map(() => arena.take(n));
    const smooth = planes.map(() => arena.take(n));
    const out = planes.map(() => arena.take(n));
    const z = arena.take(n);
    const line = arena.take(pitch + 4 * 2 ** scales + 16);
    arena.ensure();
    planes.forEach((plane, c) => {
      checkPlane(plane, width, height);
      arena.write(current[c], plane, width, height, pitch);
      arena.zero(out[c], n);
    });
    for (let scale = 0; scale < scales; scale++) {
      for (let c = 0; c < planes.length; c++) {
        wasm.b3Smooth(current[c], smooth[c], width, height, pitch, 1 << scale, line);
        const factor = inverseSigma[c][scale] / Math.sqrt(planes.length);
        wasm.addSignificance(z, current[c], smooth[c], factor, n, c === 0 ? 1 : 0);
      }
      for (let c = 0; c < planes.length; c++) {
        wasm.shrinkInto(out[c], z, current[c], smooth[c], width, height, pitch, 1 / (k * k), 4 * protect, line);
        [current[c], smooth[c]] = [smooth[c], current[c]];
      }
    }
    return planes.map((_, c) => {
      wasm.addInto(out[c], current[c], n);
      return arena.read(out[c], width, height, pitch);
    });
  }

  return { starletSmooth, starletShrink };
}
