import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import type { Psf } from "./contract";
import { checkPsf, goodFftSize } from "./contract";
import { fftPlan, rowPairs, writePlan } from "./fftPlan";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
export interface Exports extends WasmModule {
  forwardColumns(u: number, up: number, ...z: ColumnArguments): void;
  inverseColumns(u: number, up: number, ...z: ColumnArguments): void;
  ratioColumns(data: number, up: number, floor: number, ...z: ColumnArguments): void;
  dampedColumns(data: number, inverse: number, up: number, floor: number, ...z: ColumnArguments): void;
  hasten(u: number, before: number, count: number, by: number): void;
  variationInto(u: number, up: number, w: number, h: number, soften: number, px: number, py: number): void;
  dividedBy(
    u: number,
    up: number,
    w: number,
    h: number,
    lambdas: number,
    lambda: number,
    least: number,
    px: number,
    py: number,
  ): void;
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
export type ColumnArguments = [
  zre: number,
  zim: number,
  zp: number,
  w: number,
  h: number,
  plan: number,
  scratch: number,
];

/** Working memory of a convolution, its plans and its transfer function; `extras` names what else is needed, in floats of a plane and of its rows. */
export function prepareConvolution<K extends string>(
  wasm: Exports,
  width: number,
  height: number,
  psf: Psf,
  extras: (plane: number, pitch: number) => Record<K, number>,
) {
  checkPsf(psf);
  const radius = (psf.size - 1) / 2;
  const w = goodFftSize(width + radius, 8);
  const h = goodFftSize(height + radius);
  const rows = Math.floor(h / 2) + 1;
  const groups = Math.ceil(rows / 4);
  const up = pitchFor(w);
  const zp = pitchFor(w / 2);
  const arena = openArena(wasm);
  const planW = fftPlan(w);
  const planH = fftPlan(h);
  const at = {
    u: arena.take(up * h),
    zre: arena.take(zp * h),
    zim: arena.take(zp * h),
    transfer: arena.take(groups * 8 * w),
    scratch: arena.take(8 * Math.max(w, h)),
    pairs: arena.take(groups * 8),
    planW: arena.take(planW.words),
    planH: arena.take(planH.words),
  };
  const more = extras(up * h, up);
  const extra = {} as Record<K, number>;
  for (const name of Object.keys(more) as K[]) extra[name] = arena.take(more[name]);
  arena.ensure();
  writePlan(arena, at.planW, planW);
  writePlan(arena, at.planH, planH);
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
  return {
    arena,
    u: at.u,
    extra,
    up,
    h,
    columns,
    rowsThrough,
    load,
    result: () => arena.read(at.u, width, height, up),
  };
}
