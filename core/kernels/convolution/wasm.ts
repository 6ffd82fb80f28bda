import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPlane } from "../plane";
import type { ConvolutionKernels, Psf, RichardsonLucySettings } from "./contract";
import { checkPsf, FAR, goodFftSize, hastenedBy, LEAST_DIVISOR, startOf } from "./contract";
import { fftPlan, rowPairs, writePlan } from "./fftPlan";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  forwardColumns(u: number, up: number, ...z: ColumnArguments): void;
  inverseColumns(u: number, up: number, ...z: ColumnArguments): void;
  ratioColumns(data: number, up: number, floor: number, ...z: ColumnArguments): void;
  dampedColumns(data: number, inverse: number, up: number, floor: number, ...z: ColumnArguments): void;
  hasten(u: number, before: number, count: number, by: number): void;
  variationInto(u: number, up: number, w: number, h: number, soften: number, px: number, py: number): void;
  dividedBy(u: number, up: number, w: number, h: number, lambda: number, least: number, px: number, py: number): void;
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

export function convolutionWasm(module: WasmModule): ConvolutionKernels {
  const wasm = module as Exports;

  /** Working memory of a convolution, its plans and its transfer function. */
  function prepareConvolution(width: number, height: number, psf: Psf, extras: { before: boolean; inverse: boolean }) {
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
      data: arena.take(up * h),
      // With a vector and a row of zeros before and after each.
      px: arena.take(up * (h + 1) + 32),
      py: arena.take(up * (h + 1) + 32),
      // Of Richardson–Lucy alone: the estimate before, and how near the data must be come to.
      before: arena.take(extras.before ? up * h : 0),
      inverse: arena.take(extras.inverse ? up * h : 0),
      zre: arena.take(zp * h),
      zim: arena.take(zp * h),
      transfer: arena.take(groups * 8 * w),
      scratch: arena.take(8 * Math.max(w, h)),
      pairs: arena.take(groups * 8),
      planW: arena.take(planW.words),
      planH: arena.take(planH.words),
    };
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
    return { arena, at, up, h, columns, rowsThrough, load, result: () => arena.read(at.u, width, height, up) };
  }

  function convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array {
    checkPlane(plane, width, height);
    const { at, up, columns, rowsThrough, load, result } = prepareConvolution(width, height, psf, {
      ...{ before: false, inverse: false },
    });
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
    const { iterations, start, floor, variation, damping, isHastened = false } = settings;
    if (damping) checkPlane(damping.inverse, width, height);
    if (iterations < 1) return startOf(start, data);
    const extras = { before: isHastened, inverse: Boolean(damping) };
    const { arena, at, up, h, columns, rowsThrough, load, result } = prepareConvolution(width, height, psf, extras);
    load(at.data, data);
    load(at.u, startOf(start, data));
    if (isHastened) load(at.before, startOf(start, data));
    if (damping) {
      arena.floats(at.inverse, up * h).fill(FAR);
      arena.write(at.inverse, damping.inverse, width, height, up);
    }
    const [px, py] = [at.px, at.py].map((plane) => plane + 4 * (up + 16));
    if (variation) for (const plane of [at.px, at.py]) arena.zero(plane, up * (h + 1) + 32);
    wasm.forwardColumns(at.u, up, ...columns);
    for (let k = 0; k < iterations; k++) {
      rowsThrough(false);
      if (damping) wasm.dampedColumns(at.data, at.inverse, up, floor, ...columns);
      else wasm.ratioColumns(at.data, up, floor, ...columns);
      rowsThrough(true);
      if (variation) {
        wasm.variationInto(at.u, up, width, height, variation.soften, px, py);
        wasm.dividedBy(at.u, up, width, height, variation.lambda, LEAST_DIVISOR, px, py);
      }
      const isLast = k === iterations - 1;
      wasm.updateColumns(at.u, up, isLast || isHastened ? 1 : 0, ...columns);
      if (isHastened && !isLast) {
        wasm.hasten(at.u, at.before, up * h, hastenedBy(k + 1));
        wasm.forwardColumns(at.u, up, ...columns);
      }
      onIteration?.(k + 1);
    }
    return result();
  }

  return { convolve, richardsonLucy };
}
