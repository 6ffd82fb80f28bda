// Total variation by accelerated projection of the dual. Planes have a pitch of p floats and a row of zeros above and a vector of zeros to the left of each row.
// Source: Beck & Teboulle 2009, IEEE TIP 18, 2419.

/** x ← y + weight · div(ax, ay). */
export function primal(x: usize, y: usize, ax: usize, ay: usize, w: i32, h: i32, p: i32, weight: f32): void {
  const pitch = (<usize>p) << 2, k = f32x4.splat(weight);
  for (let row = 0; row < h; row++) {
    const at = <usize>row * pitch;
    for (let i: usize = 0; i < (<usize>w) << 2; i += 16) {
      const o = at + i;
      const across = f32x4.sub(v128.load(ax + o), v128.load(ax + o - 4));
      const down = f32x4.sub(v128.load(ay + o), v128.load(ay + o - pitch));
      v128.store(x + o, f32x4.add(v128.load(y + o), f32x4.mul(k, f32x4.add(across, down))));
    }
  }
}

/** One step: (qx, qy) + ∇x/step, drawn back to length 1, becomes p; q goes on by `carried` of the way. Gradients across the border are 0. */
export function dualStep(x: usize, px: usize, py: usize, qx: usize, qy: usize, w: i32, h: i32, p: i32, inverse: f32, carried: f32): void {
  const pitch = (<usize>p) << 2;
  const k = f32x4.splat(inverse), on = f32x4.splat(carried), one = f32x4.splat(1.0);
  for (let row = 0; row < h; row++) {
    const at = <usize>row * pitch;
    const below: f32 = row < h - 1 ? 1.0 : 0.0;
    const ky = f32x4.mul(k, f32x4.splat(below));
    // The pixel beyond the last one is set like it, so that its gradient is 0.
    store<f32>(x + at + ((<usize>w) << 2), load<f32>(x + at + ((<usize>(w - 1)) << 2)));
    for (let i: usize = 0; i < (<usize>w) << 2; i += 16) {
      const o = at + i;
      const here = v128.load(x + o);
      const ux = f32x4.add(v128.load(qx + o), f32x4.mul(k, f32x4.sub(v128.load(x + o, 4), here)));
      const uy = f32x4.add(v128.load(qy + o), f32x4.mul(ky, f32x4.sub(v128.load(x + o + pitch), here)));
      const length = f32x4.max(one, f32x4.sqrt(f32x4.add(f32x4.mul(ux, ux), f32x4.mul(uy, uy))));
      const nx = f32x4.div(ux, length), ny = f32x4.div(uy, length);
      v128.store(qx + o, f32x4.add(nx, f32x4.mul(on, f32x4.sub(nx, v128.load(px + o)))));
      v128.store(qy + o, f32x4.add(ny, f32x4.mul(on, f32x4.sub(ny, v128.load(py + o)))));
      v128.store(px + o, nx);
      v128.store(py + o, ny);
    }
  }
}
