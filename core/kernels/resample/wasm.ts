import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { ResampleKernels, WeightTable } from "./contract";
import { blocksOf, checkMesh, checkPlaces, isNear } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  resampleFrom(src: number, width: number, height: number): void;
  resampleWith(weights: number, taps: number, phases: number, scratch: number): void;
  resampleNear(weights: number, phases: number): void;
  resampleLevels(scale: number, level: number, dx: number, dy: number): void;
  resampleBlock(near: number, ...places: number[]): void;
  resampleNodes(dx: number, dy: number, columns: number, rows: number, scratch: number): void;
  resampleMeshGrid(u: number, v: number, perPx: number, ...places: number[]): void;
}

/** Columns of a stripe and rows of the ring in which assembly.ts keeps what it interpolated along rows, a mark for each row, and a group of four. */
const SCRATCH = 2 * 16 * 128 + 16 + 4;

/** Phases that are enough where weights are followed along their slopes between them (an error below 1e-5 of a sample). */
const COARSE = 256;

/** Of each phase of a coarser table its weights, each with its slope. */
function coarseTable({ taps, phases, weights, slopes }: WeightTable): { rows: Float32Array; phases: number } {
  const every = phases % COARSE === 0 ? phases / COARSE : 1;
  const count = phases / every;
  const rows = new Float32Array((count + 1) * taps * 2);
  for (let k = 0; k <= count; k++)
    for (let t = 0; t < taps; t++) {
      rows[2 * (k * taps + t)] = weights[k * every * taps + t];
      rows[2 * (k * taps + t) + 1] = slopes[k * every * taps + t];
    }
  return { rows, phases: count };
}

export function resampleWasm(module: WasmModule): ResampleKernels {
  const wasm = module as Exports;
  return {
    resample(planes, width, height, table, places, levels, into) {
      checkPlaces(planes, width, height, places, levels);
      const { columns, rows } = places;
      const { taps, phases, weights } = table;
      const coarse = coarseTable(table);
      const arena = openArena(wasm);
      const at = {
        // A vector may be read up to its end where only its first half counts.
        plane: arena.take(width * height + 8),
        weights: arena.take(weights.length + 8),
        coarse: arena.take(coarse.rows.length + 8),
        scratch: arena.take(SCRATCH),
        out: arena.take(columns * rows),
      };
      arena.ensure();
      arena.writeFloats(at.weights, weights);
      arena.writeFloats(at.coarse, coarse.rows);
      wasm.resampleWith(at.weights, taps, phases, at.scratch);
      wasm.resampleNear(at.coarse, coarse.phases);
      const blocks = blocksOf(places);
      return planes.map((plane, p) => {
        arena.writeFloats(at.plane, plane);
        wasm.resampleFrom(at.plane, width, height);
        const { scale, level, dx, dy } = levels[p];
        wasm.resampleLevels(scale, level, dx, dy);
        blocks.forEach((block, k) => {
          const matrix = places.matrices.subarray(6 * k, 6 * k + 6);
          // Groups of four columns begin at multiples of four of the picture, however it is cut.
          const lead = (((places.x + block.i) % 4) + 4) % 4;
          const target = at.out + 4 * (block.j * columns + block.i);
          const part = [block.i, block.j, block.width, block.height, lead, columns, target];
          wasm.resampleBlock(isNear(matrix, taps) ? 1 : 0, ...matrix, ...part);
        });
        const made = arena.floats(at.out, columns * rows);
        if (!into) return made.slice();
        into[p].set(made);
        return into[p];
      });
    },
    resampleMesh(planes, width, height, table, places, levels, into) {
      checkMesh(planes, width, height, places, levels);
      const { columns, rows, matrix, nodes, u, v, perPx } = places;
      const { taps, phases, weights } = table;
      const arena = openArena(wasm);
      const at = {
        plane: arena.take(width * height + 8),
        weights: arena.take(weights.length + 8),
        dx: arena.take(nodes.dx.length),
        dy: arena.take(nodes.dy.length),
        // A row of the mesh along each axis, in doubles.
        across: arena.take(4 * nodes.columns),
        out: arena.take(columns * rows),
      };
      arena.ensure();
      arena.writeFloats(at.weights, weights);
      arena.writeFloats(at.dx, nodes.dx);
      arena.writeFloats(at.dy, nodes.dy);
      wasm.resampleWith(at.weights, taps, phases, at.out);
      wasm.resampleNodes(at.dx, at.dy, nodes.columns, nodes.rows, at.across);
      return planes.map((plane, p) => {
        arena.writeFloats(at.plane, plane);
        wasm.resampleFrom(at.plane, width, height);
        const { scale, level, dx, dy } = levels[p];
        wasm.resampleLevels(scale, level, dx, dy);
        wasm.resampleMeshGrid(u, v, perPx, ...matrix, columns, rows, at.out);
        const made = arena.floats(at.out, columns * rows);
        if (!into) return made.slice();
        into[p].set(made);
        return into[p];
      });
    },
  };
}
