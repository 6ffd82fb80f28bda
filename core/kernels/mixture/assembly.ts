// Bayes' estimate of starlet coefficients under a Gaussian scale mixture, four pixels at once.
// Source: Portilla, Strela, Wainwright & Simoncelli 2003, IEEE TIP 12, 1338.

import { exp } from "../exp.assembly";
import { mirror } from "../starlet/b3.assembly";

const ROWS: i32 = 5;

/**
 * out ← out + estimate of (a − b); pitch p floats (a multiple of 4, ≥ w). Tables of floats: `project` axes × 25, `back` axes, `gains` levels × axes, `offsets` levels.
 * `lines` holds 5 rows of p + 4 step + 8 floats, `scratch` 4 (3 axes + levels) floats and 16-byte splats of all tables after them. From column `left`, a multiple of 4, and row `top` on to before `right` and `bottom`.
 */
export function mixtureInto(out: usize, a: usize, b: usize, w: i32, h: i32, p: i32, step: i32, project: usize, back: usize, axes: i32, gains: usize, offsets: usize, levels: i32, lines: usize, scratch: usize, left: i32, top: i32, right: i32, bottom: i32): void {
  const pitch = (<usize>p) << 2;
  const margin = 2 * step;
  const linePitch = (<usize>(p + 2 * margin + 8)) << 2;
  const first = lines + ((<usize>margin) << 2);
  const v = scratch, squares = v + ((<usize>axes) << 4), parts = squares + ((<usize>axes) << 4), chances = parts + ((<usize>axes) << 4);
  const tables = chances + ((<usize>levels) << 4);
  const projects = tables, backs = projects + ((<usize>(axes * 25)) << 4), gainsAt = backs + ((<usize>axes) << 4), offsetsAt = gainsAt + ((<usize>(axes * levels)) << 4);
  for (let i = 0; i < axes * 25; i++) v128.store(projects + ((<usize>i) << 4), v128.load32_splat(project + ((<usize>i) << 2)));
  for (let i = 0; i < axes; i++) v128.store(backs + ((<usize>i) << 4), v128.load32_splat(back + ((<usize>i) << 2)));
  for (let i = 0; i < axes * levels; i++) v128.store(gainsAt + ((<usize>i) << 4), v128.load32_splat(gains + ((<usize>i) << 2)));
  for (let i = 0; i < levels; i++) v128.store(offsetsAt + ((<usize>i) << 4), v128.load32_splat(offsets + ((<usize>i) << 2)));
  const s1 = (<usize>step) << 2, s2 = s1 << 1;
  const half = f32x4.splat(0.5);
  const axisBytes = (<usize>axes) << 4, levelBytes = (<usize>levels) << 4;
  for (let y = top; y < bottom; y++) {
    // The differences of the five rows, with their mirror images to either side.
    for (let k = 0; k < ROWS; k++) {
      const from = <usize>mirror(y + (k - 2) * step, h) * pitch;
      const line = first + <usize>k * linePitch;
      for (let x: usize = 0; x < pitch; x += 16) v128.store(line + x, f32x4.sub(v128.load(a + from + x), v128.load(b + from + x)));
      for (let m = 1; m <= margin; m++) {
        store<f32>(line - ((<usize>m) << 2), load<f32>(line + ((<usize>mirror(-m, w)) << 2)));
        store<f32>(line + ((<usize>(w - 1 + m)) << 2), load<f32>(line + ((<usize>mirror(w - 1 + m, w)) << 2)));
      }
    }
    const target = out + <usize>y * pitch;
    for (let x: usize = (<usize>left) << 2; x < (<usize>right) << 2; x += 16) {
      let row = projects;
      for (let k: usize = 0; k < axisBytes; k += 16) {
        let sum = f32x4.splat(0.0);
        let line = first + x;
        for (let n = 0; n < ROWS; n++) {
          sum = f32x4.add(sum, f32x4.mul(v128.load(row), v128.load(line - s2)));
          sum = f32x4.add(sum, f32x4.mul(v128.load(row, 16), v128.load(line - s1)));
          sum = f32x4.add(sum, f32x4.mul(v128.load(row, 32), v128.load(line)));
          sum = f32x4.add(sum, f32x4.mul(v128.load(row, 48), v128.load(line + s1)));
          sum = f32x4.add(sum, f32x4.mul(v128.load(row, 64), v128.load(line + s2)));
          row += 80;
          line += linePitch;
        }
        v128.store(squares + k, f32x4.mul(half, f32x4.mul(sum, sum)));
        v128.store(parts + k, f32x4.mul(v128.load(backs + k), sum));
      }
      let most = f32x4.splat(-3.0e38);
      let gain = gainsAt;
      for (let z: usize = 0; z < levelBytes; z += 16) {
        let chance = v128.load(offsetsAt + z);
        for (let k: usize = 0; k < axisBytes; k += 16) {
          chance = f32x4.add(chance, f32x4.mul(v128.load(gain), v128.load(squares + k)));
          gain += 16;
        }
        v128.store(chances + z, chance);
        most = f32x4.pmax(most, chance);
      }
      let sum = f32x4.splat(0.0), weight = f32x4.splat(0.0);
      gain = gainsAt;
      for (let z: usize = 0; z < levelBytes; z += 16) {
        const chance = exp(f32x4.sub(v128.load(chances + z), most));
        let estimate = f32x4.splat(0.0);
        for (let k: usize = 0; k < axisBytes; k += 16) {
          estimate = f32x4.add(estimate, f32x4.mul(v128.load(gain), v128.load(parts + k)));
          gain += 16;
        }
        sum = f32x4.add(sum, f32x4.mul(chance, estimate));
        weight = f32x4.add(weight, chance);
      }
      v128.store(target + x, f32x4.add(v128.load(target + x), f32x4.div(sum, weight)));
    }
  }
}
