import type { Arena } from "../arena";

/** Stages of a transform, as fft.assembly.ts reads them. */
export interface FftPlan {
  radices: number[];
  /** Twiddles of each stage, in the order that fft.assembly.ts reads them. */
  twiddles: Float32Array[];
  words: number;
}

export function fftPlan(n: number): FftPlan {
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
export function rowPairs(radices: number[], n: number, rows: number, groups: number): Int32Array {
  const pairs = new Int32Array(groups * 8);
  for (let i = 0; i < groups * 4; i++) {
    const ky = Math.min(i, rows - 1);
    pairs[2 * i] = positionOf(ky, n, radices);
    pairs[2 * i + 1] = positionOf((n - ky) % n, n, radices);
  }
  return pairs;
}

/** Lays a plan down in the kernels' memory: [stages, (radix, address of twiddles) a stage], then the twiddles. */
export function writePlan(arena: Arena, at: number, plan: FftPlan): void {
  const head = [plan.radices.length];
  let table = at + (2 * plan.radices.length + 4) * 4;
  plan.radices.forEach((radix, stage) => {
    head.push(radix, table);
    arena.writeFloats(table, plan.twiddles[stage]);
    table += plan.twiddles[stage].length * 4;
  });
  arena.writeIntegers(at, head);
}
