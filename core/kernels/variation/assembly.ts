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

// Second-order total variation by a primal-dual method, over planes that are taken as one row (what runs over the ends of rows stays within their margins).
// Source: Bredies, Kunisch & Pock 2010, SIAM J. Imaging Sci. 3, 492; Chambolle & Pock 2011, J. Math. Imaging Vis. 40, 120.

// @ts-ignore: decorator
@inline
function drawnBack(length2: v128, radius: v128): v128 {
  return f32x4.div(radius, f32x4.max(radius, f32x4.sqrt(length2)));
}

/** p ← P(p + σ (∇x̄ − w̄)), q ← P(q + σ E w̄), drawn back to lengths of `first` and `second`. `at` holds the addresses of x̄, w̄ (2), p (2), q (3). */
export function secondDual(at: usize, n: i32, pitch: i32, sigma: f32, first: f32, second: f32): void {
  const x = load<i32>(at), w1 = load<i32>(at, 4), w2 = load<i32>(at, 8), p1 = load<i32>(at, 12), p2 = load<i32>(at, 16);
  const q1 = load<i32>(at, 20), q2 = load<i32>(at, 24), q3 = load<i32>(at, 28);
  const s = f32x4.splat(sigma), a1 = f32x4.splat(first), a0 = f32x4.splat(second), half = f32x4.splat(0.5), two = f32x4.splat(2.0);
  const down = pitch << 2;
  for (let i: i32 = 0; i < n << 2; i += 16) {
    const here = v128.load(x + i), u = v128.load(w1 + i), v = v128.load(w2 + i);
    const gx = f32x4.sub(f32x4.sub(v128.load(x + i + 4), here), u);
    const gy = f32x4.sub(f32x4.sub(v128.load(x + i + down), here), v);
    const px = f32x4.add(v128.load(p1 + i), f32x4.mul(s, gx)), py = f32x4.add(v128.load(p2 + i), f32x4.mul(s, gy));
    const by = drawnBack(f32x4.add(f32x4.mul(px, px), f32x4.mul(py, py)), a1);
    v128.store(p1 + i, f32x4.mul(px, by));
    v128.store(p2 + i, f32x4.mul(py, by));
    const e1 = f32x4.sub(u, v128.load(w1 + i - 4)), e2 = f32x4.sub(v, v128.load(w2 + i - down));
    const e3 = f32x4.mul(half, f32x4.add(f32x4.sub(u, v128.load(w1 + i - down)), f32x4.sub(v, v128.load(w2 + i - 4))));
    const a = f32x4.add(v128.load(q1 + i), f32x4.mul(s, e1)), b = f32x4.add(v128.load(q2 + i), f32x4.mul(s, e2));
    const c = f32x4.add(v128.load(q3 + i), f32x4.mul(s, e3));
    const length2 = f32x4.add(f32x4.add(f32x4.mul(a, a), f32x4.mul(b, b)), f32x4.mul(two, f32x4.mul(c, c)));
    const bent = drawnBack(length2, a0);
    v128.store(q1 + i, f32x4.mul(a, bent));
    v128.store(q2 + i, f32x4.mul(b, bent));
    v128.store(q3 + i, f32x4.mul(c, bent));
  }
}

/** x ← (x + τ (div p + y))/(1 + τ), w ← w + τ (p + div q); x̄, w̄ ← twice the new less the old. After those of secondDual `at` holds y, x, w (2). */
export function secondPrimal(at: usize, n: i32, pitch: i32, tau: f32): void {
  const xb = load<i32>(at), w1b = load<i32>(at, 4), w2b = load<i32>(at, 8), p1 = load<i32>(at, 12), p2 = load<i32>(at, 16);
  const q1 = load<i32>(at, 20), q2 = load<i32>(at, 24), q3 = load<i32>(at, 28);
  const y = load<i32>(at, 32), x = load<i32>(at, 36), w1 = load<i32>(at, 40), w2 = load<i32>(at, 44);
  const t = f32x4.splat(tau), norm = f32x4.splat(<f32>1.0 / (<f32>1.0 + tau)), two = f32x4.splat(2.0);
  const down = pitch << 2;
  for (let i: i32 = 0; i < n << 2; i += 16) {
    const px = v128.load(p1 + i), py = v128.load(p2 + i);
    const div = f32x4.add(f32x4.sub(px, v128.load(p1 + i - 4)), f32x4.sub(py, v128.load(p2 + i - down)));
    const old = v128.load(x + i);
    const next = f32x4.mul(norm, f32x4.add(old, f32x4.mul(t, f32x4.add(div, v128.load(y + i)))));
    v128.store(x + i, next);
    v128.store(xb + i, f32x4.sub(f32x4.mul(two, next), old));
    const a = v128.load(q1 + i), b = v128.load(q2 + i), c = v128.load(q3 + i);
    const d1 = f32x4.add(f32x4.sub(v128.load(q1 + i + 4), a), f32x4.sub(v128.load(q3 + i + down), c));
    const d2 = f32x4.add(f32x4.sub(v128.load(q3 + i + 4), c), f32x4.sub(v128.load(q2 + i + down), b));
    const u = v128.load(w1 + i), v = v128.load(w2 + i);
    const un = f32x4.add(u, f32x4.mul(t, f32x4.add(px, d1))), vn = f32x4.add(v, f32x4.mul(t, f32x4.add(py, d2)));
    v128.store(w1 + i, un);
    v128.store(w2 + i, vn);
    v128.store(w1b + i, f32x4.sub(f32x4.mul(two, un), u));
    v128.store(w2b + i, f32x4.sub(f32x4.mul(two, vn), v));
  }
}
