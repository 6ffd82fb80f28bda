import type { Kernels, Psf, RichardsonLucySettings, ShrinkSettings } from "./kernels";
import { checkPlane, checkPsf, goodFftSize } from "./kernels";

/** What kernels.wasm exports; addresses are bytes, pitches floats. See core/kernels/assembly. */
interface Exports {
  memory: WebAssembly.Memory;
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
  forwardColumns(u: number, up: number, ...z: ColumnArguments): void;
  inverseColumns(u: number, up: number, ...z: ColumnArguments): void;
  ratioColumns(data: number, up: number, floor: number, ...z: ColumnArguments): void;
  updateColumns(u: number, up: number, last: number, ...z: ColumnArguments): void;
  transferRows(
    zre: number,
    zim: number,
    zp: number,
    w: number,
    groups: number,
    pairs: number,
    plan: number,
    scale: number,
    transfer: number,
  ): void;
  transformRows(
    zre: number,
    zim: number,
    zp: number,
    w: number,
    groups: number,
    pairs: number,
    plan: number,
    transfer: number,
    conjugate: number,
    scratch: number,
  ): void;
}
type ColumnArguments = [zre: number, zim: number, zp: number, w: number, h: number, plan: number, scratch: number];

/** First byte that the kernels may use: the compiled module keeps its constants in the first page. */
const ARENA_START = 65536;
const PAGE = 65536;

/**
 * The kernels on WebAssembly SIMD128. Throws where the engine cannot run them (the caller then takes createPlainKernels).
 * Each call lays its working memory out anew in the module's one linear memory; nothing is kept between calls.
 */
export function createWasmKernels(bytes: Uint8Array): Kernels {
  const instance = new WebAssembly.Instance(new WebAssembly.Module(bytes as Uint8Array<ArrayBuffer>), {
    env: { abort: () => undefined },
  });
  const wasm = instance.exports as unknown as Exports;
  const open = () => createArena(wasm.memory);

  function starletSmooth(plane: Float32Array, width: number, height: number, scale: number): Float32Array {
    checkPlane(plane, width, height);
    const arena = open();
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
    const arena = open();
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

  /** Working memory of a convolution, its plans and its transfer function. */
  function prepareConvolution(width: number, height: number, psf: Psf) {
    checkPsf(psf);
    const radius = (psf.size - 1) / 2;
    const w = goodFftSize(width + radius, 8);
    const h = goodFftSize(height + radius);
    const rows = Math.floor(h / 2) + 1;
    const groups = Math.ceil(rows / 4);
    const up = pitchFor(w);
    const zp = pitchFor(w / 2);
    const arena = open();
    const planW = fftPlan(w);
    const planH = fftPlan(h);
    const at = {
      u: arena.take(up * h),
      data: arena.take(up * h),
      zre: arena.take(zp * h),
      zim: arena.take(zp * h),
      transfer: arena.take(groups * 8 * w),
      scratch: arena.take(8 * Math.max(w, h)),
      pairs: arena.take(groups * 8),
      planW: arena.take(planW.words),
      planH: arena.take(planH.words),
    };
    arena.ensure();
    arena.writePlan(at.planW, planW);
    arena.writePlan(at.planH, planH);
    arena.writeIntegers(at.pairs, rowPairs(planH.radices, h, rows, groups));
    const columns: ColumnArguments = [at.zre, at.zim, zp, w, h, at.planH, at.scratch];
    const centred = new Float32Array(w * h);
    for (let y = 0; y < psf.size; y++)
      for (let x = 0; x < psf.size; x++) {
        const px = (((x - radius) % w) + w) % w;
        const py = (((y - radius) % h) + h) % h;
        centred[py * w + px] += psf.values[y * psf.size + x];
      }
    arena.write(at.u, centred, w, h, up);
    wasm.forwardColumns(at.u, up, ...columns);
    // Untangling leaves out a factor ½, once here and once in each transform; the inverse transform needs 1 / (w h).
    wasm.transferRows(at.zre, at.zim, zp, w, groups, at.pairs, at.planW, 0.25 / (w * h), at.transfer);
    const rowsThrough = (conjugate: boolean): void =>
      wasm.transformRows(at.zre, at.zim, zp, w, groups, at.pairs, at.planW, at.transfer, conjugate ? 1 : 0, at.scratch);
    const load = (target: number, plane: Float32Array): void => {
      arena.zero(target, up * h);
      arena.write(target, plane, width, height, up);
    };
    return { at, up, columns, rowsThrough, load, result: () => arena.read(at.u, width, height, up) };
  }

  function convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array {
    checkPlane(plane, width, height);
    const { at, up, columns, rowsThrough, load, result } = prepareConvolution(width, height, psf);
    load(at.u, plane);
    wasm.forwardColumns(at.u, up, ...columns);
    rowsThrough(false);
    wasm.inverseColumns(at.u, up, ...columns);
    return result();
  }

  function richardsonLucy(
    data: Float32Array,
    width: number,
    height: number,
    psf: Psf,
    settings: RichardsonLucySettings,
    onIteration?: (done: number) => void,
  ): Float32Array {
    checkPlane(data, width, height);
    const { iterations, start, floor } = settings;
    if (iterations < 1) return start === "data" ? data.slice() : new Float32Array(data.length).fill(start);
    const { at, up, columns, rowsThrough, load, result } = prepareConvolution(width, height, psf);
    load(at.data, data);
    load(at.u, start === "data" ? data : new Float32Array(data.length).fill(start));
    wasm.forwardColumns(at.u, up, ...columns);
    for (let k = 0; k < iterations; k++) {
      rowsThrough(false);
      wasm.ratioColumns(at.data, up, floor, ...columns);
      rowsThrough(true);
      wasm.updateColumns(at.u, up, k === iterations - 1 ? 1 : 0, ...columns);
      onIteration?.(k + 1);
    }
    return result();
  }

  return { name: "wasm", starletSmooth, starletShrink, convolve, richardsonLucy };
}

/** Row pitch in floats: a multiple of 4, a cache line off where it would be a multiple of 4 KiB (slow strides). */
function pitchFor(width: number): number {
  const pitch = Math.ceil(width / 4) * 4;
  return pitch % 512 === 0 ? pitch + 16 : pitch;
}

interface FftPlan {
  radices: number[];
  /** Twiddles of each stage, in the order that assembly/fft.ts reads them. */
  twiddles: Float32Array[];
  words: number;
}

function fftPlan(n: number): FftPlan {
  const radices: number[] = [];
  for (let rest = n; rest > 1;) {
    const radix = [4, 2, 3, 5].find((r) => rest % r === 0) as number;
    radices.push(radix);
    rest /= radix;
  }
  let length = n;
  const twiddles = radices.map((radix) => {
    const m = length / radix;
    const table = new Float32Array(m * (radix - 1) * 2);
    let k = 0;
    for (let j = 0; j < m; j++)
      for (let q = 1; q < radix; q++) {
        const angle = (2 * Math.PI * ((j * q) % length)) / length;
        table[k++] = Math.cos(angle);
        table[k++] = -Math.sin(angle);
      }
    length = m;
    return table;
  });
  const words = 2 * radices.length + 4 + twiddles.reduce((sum, table) => sum + table.length, 0);
  return { radices, twiddles, words };
}

/** Position of frequency k in the digit-reversed order that `dif` leaves. */
function positionOf(k: number, n: number, radices: number[]): number {
  let position = 0;
  let length = n;
  for (const radix of radices) {
    length /= radix;
    position += (k % radix) * length;
    k = Math.floor(k / radix);
  }
  return position;
}

/** Rows (ky, −ky) for ky = 0 … n/2 as positions, in groups of four; the last group is filled up with its last row. */
function rowPairs(radices: number[], n: number, rows: number, groups: number): Int32Array {
  const pairs = new Int32Array(groups * 8);
  for (let i = 0; i < groups * 4; i++) {
    const ky = Math.min(i, rows - 1);
    pairs[2 * i] = positionOf(ky, n, radices);
    pairs[2 * i + 1] = positionOf((n - ky) % n, n, radices);
  }
  return pairs;
}

/** Hands out 64-byte-aligned stretches of the linear memory and copies planes in and out of them. */
function createArena(memory: WebAssembly.Memory) {
  let top = ARENA_START;
  const floats = () => new Float32Array(memory.buffer);
  return {
    /** Reserves `count` 4-byte words and returns their byte address. */
    take(count: number): number {
      const at = top;
      top += Math.ceil((count * 4) / 64) * 64;
      return at;
    },
    /** Makes the memory as large as all that was taken. Throws RangeError when it cannot grow. */
    ensure(): void {
      const missing = top + 64 - memory.buffer.byteLength;
      if (missing > 0) memory.grow(Math.ceil(missing / PAGE));
    },
    zero(at: number, count: number): void {
      floats().fill(0, at / 4, at / 4 + count);
    },
    write(at: number, plane: Float32Array, width: number, height: number, pitch: number): void {
      const target = floats();
      for (let y = 0; y < height; y++) target.set(plane.subarray(y * width, (y + 1) * width), at / 4 + y * pitch);
    },
    read(at: number, width: number, height: number, pitch: number): Float32Array {
      const source = floats();
      const out = new Float32Array(width * height);
      for (let y = 0; y < height; y++) {
        const from = at / 4 + y * pitch;
        out.set(source.subarray(from, from + width), y * width);
      }
      return out;
    },
    writeIntegers(at: number, values: Int32Array): void {
      new Int32Array(memory.buffer).set(values, at / 4);
    },
    writePlan(at: number, plan: FftPlan): void {
      const words = new Int32Array(memory.buffer);
      const target = floats();
      words[at / 4] = plan.radices.length;
      let table = at + (2 * plan.radices.length + 4) * 4;
      plan.radices.forEach((radix, stage) => {
        words[at / 4 + 1 + 2 * stage] = radix;
        words[at / 4 + 2 + 2 * stage] = table;
        target.set(plan.twiddles[stage], table / 4);
        table += plan.twiddles[stage].length * 4;
      });
    },
  };
}
