import { mirrored } from "../../raster/mirrored";
import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { PatchKernels } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  nonLocalPair(...numbers: number[]): void;
  nonLocalEnd(...numbers: number[]): void;
  bilateralInto(...numbers: number[]): void;
}

/** A plane with its mirrored margin, its rows a few floats longer for vectors that reach beyond; where its first pixel lies, in bytes. */
function withMargin(plane: Float32Array, width: number, height: number, margin: number) {
  const { grown, pitch } = mirrored(plane, width, height, margin, pitchFor(width + 2 * margin + 8));
  return { grown, pitch, first: 4 * (margin * pitch + margin) };
}

export function patchesWasm(module: WasmModule): PatchKernels {
  const wasm = module as Exports;
  return {
    nonLocalMeans(plane, width, height, { patch, search, h, spared }) {
      checkPlane(plane, width, height);
      const { grown, pitch, first } = withMargin(plane, width, height, patch + search);
      const arena = openArena(wasm);
      const own = pitchFor(width + search + 2 * patch + 8);
      const src = arena.take(grown.length + 16);
      const [sums, weights, most] = [0, 1, 2].map(() => arena.take(own * height));
      const ring = arena.take((4 * patch + 4) * own + 16);
      arena.ensure();
      arena.writeFloats(src, grown);
      for (const at of [sums, weights, most]) arena.zero(at, own * height);
      const shared = [src + first, pitch, width, height] as const;
      for (let dy = 0; dy <= search; dy++)
        for (let dx = -search; dx <= search; dx++)
          if (dy > 0 || dx > 0)
            wasm.nonLocalPair(...shared, dx, dy, patch, -1 / (h * h), spared, sums, weights, most, own, ring);
      wasm.nonLocalEnd(...shared, sums, weights, most, own);
      return arena.read(sums, width, height, own);
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
