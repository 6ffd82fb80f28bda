import { mirrored } from "../../raster/mirrored";
import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { PatchKernels } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  nonLocalTile(...numbers: number[]): void;
  bilateralInto(...numbers: number[]): void;
}

/** Non-local means go over tiles whose sums stay in a core's own cache; of widths that are multiples of 4. */
const TILE = 128;

/** A plane with its mirrored margin, its rows a few floats longer for vectors that reach beyond; where its first pixel lies, in bytes. */
function withMargin(plane: Float32Array, width: number, height: number, margin: number) {
  const { grown, pitch } = mirrored(plane, width, height, margin, pitchFor(width + 2 * margin + 8));
  return { grown, pitch, first: 4 * (margin * pitch + margin) };
}

export function patchesWasm(module: WasmModule): PatchKernels {
  const wasm = module as Exports;
  return {
    nonLocalMeans(plane, width, height, { patch, search, h, noiseDistance }) {
      checkPlane(plane, width, height);
      const { grown, pitch, first } = withMargin(plane, width, height, patch + search);
      const arena = openArena(wasm);
      const [wide, high, own] = [Math.min(width, TILE), Math.min(height, TILE), pitchFor(width)];
      const row = pitchFor(wide + search + 2 * patch + 8);
      const [src, out] = [arena.take(grown.length + 16), arena.take(own * height + 16)];
      const room = arena.take((3 * high + 4 * patch + 4) * row + 16);
      arena.ensure();
      arena.writeFloats(src, grown);
      const factor = Math.LOG2E / (h * h);
      for (let y = 0; y < height; y += high)
        for (let x = 0; x < width; x += wide) {
          const [from, to] = [src + first + 4 * (y * pitch + x), out + 4 * (y * own + x)];
          const [w, rows] = [Math.min(wide, width - x), Math.min(high, height - y)];
          wasm.nonLocalTile(from, pitch, w, rows, patch, search, factor, noiseDistance, to, own, room, row);
        }
      return arena.read(out, width, height, own);
    },
    bilateral(plane, width, height, { radius, range }) {
      checkPlane(plane, width, height);
      const { grown, pitch, first } = withMargin(plane, width, height, radius);
      const offsets: number[] = [];
      const logs: number[] = [];
      for (let dy = -radius; dy <= radius; dy++)
        for (let dx = -radius; dx <= radius; dx++) {
          const r2 = dx * dx + dy * dy;
          if (r2 > radius * radius) continue;
          offsets.push(dy * pitch + dx);
          logs.push((-2 * r2) / (radius * radius));
        }
      const arena = openArena(wasm);
      const own = pitchFor(width);
      const [src, out] = [arena.take(grown.length + 16), arena.take(own * height)];
      const [at, by] = [arena.take(offsets.length), arena.take(offsets.length)];
      arena.ensure();
      arena.writeFloats(src, grown);
      arena.writeIntegers(at, offsets);
      arena.writeFloats(by, Float32Array.from(logs));
      const factor = -1 / (2 * range * range);
      wasm.bilateralInto(src + first, pitch, width, height, at, by, offsets.length, factor, out, own);
      return arena.read(out, width, height, own);
    },
  };
}
