import { mirrorIndex } from "../../raster/raster";
import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { Direction, MosaicKernels } from "./contract";
import { INTERPOLATIONS, PAD, checkCell, directionsAt } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  mosaicBegin(rowBytes: number, odd: number): void;
  mosaicSplit(row: number, n: number, out: number): void;
  mosaicTables(at: number, sizes: number): void;
  mosaicRow(
    how: number,
    row: number,
    n: number,
    greenIsOdd: number,
    inRow: number,
    green: number,
    opposite: number,
    tableBytes: number,
  ): void;
}

/** Rows that lie in the module at once, the two above and below the present ones among them. */
const RING = 8;

export function mosaicWasm(module: WasmModule): MosaicKernels {
  const wasm = module as Exports;
  return {
    demosaic(how, mosaic, width, height, cell) {
      checkPlane(mosaic, width, height);
      checkCell(cell);
      const padded = Math.ceil((width + 2 * PAD) / 8) * 8;
      // Vectors at the end of a row reach beyond it.
      const half = padded / 2 + 16;
      const arena = openArena(wasm);
      const row = arena.take(padded);
      // Five rows follow each other wherever they begin: each row is written a second time RING rows further on.
      const ring = arena.take(2 * RING * 2 * half);
      const outs = [0, 1, 2].map(() => arena.take(padded + 16));
      const tables = how === "gradients" ? tablesOf(2 * half * 4, half * 4) : null;
      const [table, sizes] = [arena.take(tables ? tables.length : 0), arena.take(32)];
      arena.ensure();
      if (tables) arena.writeIntegers(table, tables);
      const tableBytes = tables ? tables.length : 0;
      wasm.mosaicTables(table, sizes);
      wasm.mosaicBegin(2 * half * 4, half * 4);
      const source = arena.floats(row, padded);
      const views = outs.map((at) => arena.floats(at, width));
      const planes = [0, 1, 2].map(() => new Float32Array(width * height));
      const slot = (y: number): number => ring + (y % RING) * 2 * half * 4;
      const fill = (y: number): void => {
        const from = mirrorIndex(y - PAD, height) * width;
        source.set(mosaic.subarray(from, from + width), PAD);
        for (let k = 0; k < PAD; k++) {
          source[k] = mosaic[from + mirrorIndex(k - PAD, width)];
          source[PAD + width + k] = mosaic[from + mirrorIndex(width + k, width)];
        }
        wasm.mosaicSplit(row, padded, slot(y));
        wasm.mosaicSplit(row, padded, slot(y) + RING * 2 * half * 4);
      };
      for (let y = 0; y < 2 * PAD; y++) fill(y);
      for (let y = 0; y < height; y++) {
        fill(y + 2 * PAD);
        const [first, second] = [cell[(y & 1) * 2], cell[(y & 1) * 2 + 1]];
        const beside = first === 1 ? second : first;
        // The first of the five rows decides where they lie together.
        const middle = slot(y) + PAD * 2 * half * 4;
        wasm.mosaicRow(
          INTERPOLATIONS.indexOf(how),
          middle,
          width,
          Number(second === 1),
          outs[0],
          outs[1],
          outs[2],
          tableBytes,
        );
        [beside, 1, 2 - beside].forEach((c, k) => planes[c].set(views[k], y * width));
      }
      return planes;
    },
  };
}

/** The tables of assembly.ts: at green in even and odd columns, at others in even and odd ones, of one length each. */
function tablesOf(rowBytes: number, odd: number): Int32Array {
  const tables = [true, false].flatMap((green) =>
    [0, 1].map((parity) => {
      const at = ([dx, dy]: Direction["own"][number]): number => {
        const pair = Math.floor((parity + dx) / 2);
        const isOther = ((parity + dx) & 1) !== parity;
        return dy * rowBytes + 4 * pair + (isOther ? (parity === 0 ? odd : -odd) : 0);
      };
      const words: number[] = [];
      const list = (points: Direction["own"]) => words.push(points.length, ...points.map(at));
      for (const { pairs, own, first, second } of directionsAt(green)) {
        words.push(pairs.length);
        for (const [a, b, factor] of pairs) words.push(at(a), at(b), wordOf(factor));
        list(own);
        // At green the row's colour comes first.
        list(green ? second : first);
        list(green ? first : second);
      }
      return words;
    }),
  );
  const length = Math.max(...tables.map((words) => words.length));
  return Int32Array.from(tables.flatMap((words) => [...words, ...Array<number>(length - words.length).fill(0)]));
}

const wordOf = (value: number): number => new Int32Array(Float32Array.of(value).buffer)[0];
