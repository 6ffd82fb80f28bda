/** What every compiled module of kernels exports. */
export interface WasmModule {
  memory: WebAssembly.Memory;
}

/** First byte that the kernels may use: the compiled module keeps its constants in the first page. */
const ARENA_START = 65536;
const PAGE = 65536;

/** Row pitch in floats: a multiple of 4, a cache line off where it would be a multiple of 4 KiB (slow strides). */
export function pitchFor(width: number): number {
  const pitch = Math.ceil(width / 4) * 4;
  return pitch % 512 === 0 ? pitch + 16 : pitch;
}

/** Hands out 64-byte-aligned stretches of the linear memory and copies planes in and out of them. */
export function openArena({ memory }: WasmModule) {
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
    writeFloats(at: number, values: Float32Array): void {
      floats().set(values, at / 4);
    },
    writeDoubles(at: number, values: Float64Array): void {
      new Float64Array(memory.buffer).set(values, at / 8);
    },
    doubles(at: number, count: number): Float64Array {
      return new Float64Array(memory.buffer, at, count);
    },
    /** A view of what lies at an address; it lives until the memory grows. */
    floats(at: number, count: number): Float32Array {
      return new Float32Array(memory.buffer, at, count);
    },
    shorts(at: number, count: number): Uint16Array {
      return new Uint16Array(memory.buffer, at, count);
    },
    writeIntegers(at: number, values: Int32Array | readonly number[]): void {
      new Int32Array(memory.buffer).set(values, at / 4);
    },
  };
}
export type Arena = ReturnType<typeof openArena>;
