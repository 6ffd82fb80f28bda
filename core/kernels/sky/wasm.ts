import { mirrorIndex } from "../../raster/raster";
import { CHUNK, SIGMA_PER_MAD } from "../../raster/statistics";
import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { BandPeaks, MeshLevels, SkyKernels } from "./contract";
import { axisOf, BAND_CELL, checkMesh, COARSE_REACH, COARSE_TAPS, meshRow, quietOf, sampleStep } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  skyBegin(
    width: number,
    height: number,
    rowBytes: number,
    rings: number,
    scratch: number,
    columns: number,
    low: number,
    share: number,
  ): void;
  skyRow(row: number, mesh: number, clean: number, band: number, coarse: number): number;
  sampleRow(values: number, n: number, cell: number, step: number, lists: number, room: number, row: number): void;
  cellSpreads(
    n: number,
    cell: number,
    step: number,
    lists: number,
    room: number,
    rows: number,
    keys: number,
    pair: number,
    out: number,
  ): void;
  peaksIn(ring: number, size: number, y0: number, y1: number, least: number, out: number): number;
  smoothWindow(
    window: number,
    side: number,
    rowBytes: number,
    taps: number,
    reach: number,
    between: number,
    out: number,
  ): void;
  chunkMaxima(values: number, n: number, out: number): void;
}

/** Rows of the three rings of assembly.ts, and by how much what is finished lies behind what was taken. */
const RING_ROWS = 8 + 16 + 32;
const LAG = 14;
/** Rows of the band that are held: of a row of cells, and what its peaks look at above and below. */
const BAND_ROWS = 128;
const AROUND = 4;
/** Values that are copied in at once. */
const PART = 1 << 18;

/** Peaks as they come from the module, and the highest bound under which they were looked for. */
interface Sweep {
  clean: Float32Array;
  cells: Float32Array;
  places: number[];
  values: number[];
  bound: number;
}

export function skyWasm(module: WasmModule): SkyKernels {
  const wasm = module as Exports;

  /** One sweep over a picture, a row of cells at a time: their spreads, then their peaks above what `boundOf` says by the spreads so far (0 where there is none yet). */
  function sweep(
    plane: Float32Array,
    width: number,
    height: number,
    background: MeshLevels | null,
    into: Float32Array,
    boundOf: (cells: Float32Array) => number,
  ): Sweep {
    const mesh = background ?? { columns: 1, rows: 1, level: new Float32Array(1) };
    checkMesh(mesh);
    const pitch = Math.ceil(width / 4) * 4;
    const step = sampleStep(width, height);
    const columns = Math.ceil(width / BAND_CELL);
    const room = Math.ceil(BAND_CELL / step) ** 2;
    const arena = openArena(wasm);
    const take = () => arena.take(pitch);
    const [row, clean, coarse, share, low] = [take(), take(), take(), take(), take()];
    const rings = arena.take(RING_ROWS * pitch);
    const scratch = arena.take(pitch + 48);
    const line = arena.take(mesh.columns + 1);
    const bands = arena.take(BAND_ROWS * pitch);
    const lists = arena.take(columns * room);
    const [keys, pair, spreads] = [arena.take(room + 4), arena.take(4), arena.take(2 * columns)];
    // Of four neighbours one at most is a peak.
    const peaks = arena.take(4 * (BAND_CELL / 2 + 1) * (pitch / 2 + 1));
    arena.ensure();
    const [xs, ys] = [axisOf(width, mesh.columns), axisOf(height, mesh.rows)];
    arena.writeFloats(share, xs.share);
    arena.writeIntegers(low, xs.low);
    wasm.skyBegin(width, height, 4 * pitch, rings, scratch, mesh.columns, low, share);
    const cleaned = arena.floats(clean, width);
    const levels = arena.floats(line, mesh.columns + 1);
    const source = arena.floats(row, width);
    const floats = new Float32Array(wasm.memory.buffer);
    const integers = new Int32Array(wasm.memory.buffer);
    const cells = new Float32Array(columns * Math.ceil(height / BAND_CELL));
    const [places, values]: number[][] = [[], []];
    let most = -Infinity;
    let looked = 0;
    let bound = 0;
    const bandRow = (y: number) => bands + 4 * pitch * (y & (BAND_ROWS - 1));
    for (let y = 0; y < height + LAG; y++) {
      if (y < height) {
        source.set(plane.subarray(y * width, (y + 1) * width));
        meshRow(mesh, ys, y, levels);
      }
      const done = y - LAG;
      const isFinished = wasm.skyRow(row, line, clean, bandRow(done), coarse) === 1;
      if (y < height) into.set(cleaned, y * width);
      if (!isFinished) continue;
      const inCell = done % BAND_CELL;
      if (inCell % step === 0) wasm.sampleRow(bandRow(done), width, BAND_CELL, step, lists, room, inCell / step);
      if (inCell === BAND_CELL - 1 || done === height - 1) {
        wasm.cellSpreads(width, BAND_CELL, step, lists, room, Math.ceil((inCell + 1) / step), keys, pair, spreads);
        const sigmas = arena.doubles(spreads, columns).map((mad) => SIGMA_PER_MAD * mad);
        cells.set(sigmas, Math.floor(done / BAND_CELL) * columns);
      }
      for (; looked < height && done + 1 >= Math.min(height, looked + BAND_CELL + AROUND); looked += BAND_CELL) {
        // Anew with 1, 2, 4 … rows of cells: they tell it better, and more slowly so.
        const rows = looked / BAND_CELL + 1;
        if ((rows & (rows - 1)) === 0) bound = boundOf(cells);
        most = Math.max(most, bound);
        const count = wasm.peaksIn(bands, BAND_ROWS, looked, Math.min(height, looked + BAND_CELL), bound, peaks);
        for (let k = 0, at = peaks / 4; k < count; k++, at += 4) {
          places.push(integers[at + 1] * width + integers[at]);
          values.push(floats[at + 2], floats[at + 3]);
        }
      }
    }
    return { clean: into, cells, places, values, bound: most };
  }

  return {
    bandPeaks(plane, width, height, background, least, into = new Float32Array(plane.length)): BandPeaks {
      checkPlane(plane, width, height);
      // The quiet σ is known in the end only: until then half of what the cells so far say is enough.
      const early = (cells: Float32Array) => 0.5 * least(quietOf(cells));
      let found = sweep(plane, width, height, background, into, early);
      const quiet = quietOf(found.cells);
      const bound = Math.fround(least(quiet));
      // Rarely: a picture whose upper rows are twice as noisy as most of it.
      if (bound < found.bound) found = sweep(into, width, height, null, into, () => bound);
      const { places, values, cells, clean } = found;
      const kept = places.flatMap((_, k) => (values[2 * k] > bound ? [k] : []));
      return {
        clean,
        cells,
        columns: Math.ceil(width / BAND_CELL),
        quiet,
        at: Int32Array.from(kept, (k) => places[k]),
        height: Float32Array.from(kept, (k) => values[2 * k]),
        ridge: Float32Array.from(kept, (k) => values[2 * k + 1]),
      };
    },

    coarseAround(clean, width, height, x, y, reach) {
      checkPlane(clean, width, height);
      const side = 2 * reach + 1;
      const wide = side + 2 * COARSE_REACH;
      const pitch = Math.ceil(wide / 4) * 4;
      const arena = openArena(wasm);
      const [window, taps] = [arena.take(wide * pitch), arena.take(COARSE_TAPS.length)];
      const [between, out] = [arena.take(side * pitch), arena.take(side * pitch)];
      // The last row of sums reads a vector beyond.
      arena.take(16);
      arena.ensure();
      arena.writeFloats(taps, COARSE_TAPS);
      const [left, top] = [x - reach - COARSE_REACH, y - reach - COARSE_REACH];
      const floats = new Float32Array(wasm.memory.buffer, window, wide * pitch);
      const isInside = left >= 0 && left + wide <= width;
      // So short a row is copied faster value by value than by a view of it.
      for (let v = 0, to = 0; v < wide; v++, to += pitch) {
        const from = mirrorIndex(top + v, height) * width;
        if (isInside) for (let u = 0; u < wide; u++) floats[to + u] = clean[from + left + u];
        else for (let u = 0; u < wide; u++) floats[to + u] = clean[from + mirrorIndex(left + u, width)];
      }
      wasm.smoothWindow(window, side, 4 * pitch, taps, COARSE_REACH, between, out);
      return arena.read(out, side, side, pitch);
    },

    chunkMaxima(values) {
      const arena = openArena(wasm);
      const [part, maxima] = [arena.take(Math.min(PART, values.length)), arena.take(PART / CHUNK)];
      arena.ensure();
      const out = new Float32Array(Math.ceil(values.length / CHUNK));
      for (let from = 0; from < values.length; from += PART) {
        const own = values.subarray(from, from + PART);
        arena.writeFloats(part, own);
        wasm.chunkMaxima(part, own.length, maxima);
        out.set(arena.floats(maxima, Math.ceil(own.length / CHUNK)), from / CHUNK);
      }
      return out;
    },
  };
}
