// Total variation by accelerated projection of the dual, and its second-order kind. Several steps sweep over the picture one behind the other, two rows apart, so that rows are still near when the next step
// needs them: the same numbers as with one step at a time.
// Source: Beck & Teboulle 2009, IEEE TIP 18, 2419.

/** Four pixels lie together in a cell: of the picture, of the dual variables carried on (across, down), and of these as they are (across, down); so that one address serves all. */
const CELL: usize = 80, QX: usize = 16, QY: usize = 32, PX: usize = 48, PY: usize = 64;

/** Writes a plane of pitch p into cells (`row` bytes each row), the dual variables 0. */
export function variationStart(plane: usize, w: i32, h: i32, p: i32, cells: usize, row: usize): void {
  memory.fill(cells - row, 0, <usize>(h + 2) * row);
  for (let y = 0; y < h; y++)
    for (let x: usize = 0; x < <usize>w; x += 4) v128.store(cells + <usize>y * row + (x >> 2) * CELL, v128.load(plane + ((<usize>y * <usize>p + x) << 2)));
}

/**
 * `steps` steps: p ← q + ∇x/(8 weight), x = y + weight · div q, drawn back to length 1; q ← p + carried · (p − p before). Gradients across the border are 0. There is a row of zeros above the cells and a row below.
 * `room` holds two rows of x, of as many floats as a row of cells has pixels and 4 more, for each step.
 */
export function variationSteps(cells: usize, row: usize, w: i32, h: i32, weight: f32, carried: usize, steps: i32, room: usize): void {
  const inverse: f32 = 1.0 / (8.0 * weight), count = (<usize>w + 3) >> 2;
  const line = (count + 1) << 4;
  for (let t = -1; t < h + 2 * (steps - 1); t++)
    for (let k = 0; k < steps; k++) {
      const y = t - 2 * k;
      if (y < -1 || y >= h) continue;
      const rows = room + <usize>(2 * k) * line;
      const here = rows + <usize>(y & 1) * line, below = rows + <usize>((y + 1) & 1) * line;
      const at = cells + <usize>y * row;
      if (y < 0) primalRow(at + row, row, count, weight, below, QX, QY);
      else stepRow(at, row, count, weight, inverse, y < h - 1 ? inverse : 0.0, load<f32>(carried + ((<usize>k) << 2)), here, below);
      // The pixel beyond the last one is set like it, so that its gradient is 0.
      store<f32>(below + ((<usize>w) << 2), load<f32>(below + ((<usize>(w - 1)) << 2)));
    }
}

/** x = y + weight · div p, into a plane of pitch p. */
export function variationEnd(cells: usize, row: usize, w: i32, h: i32, p: i32, weight: f32, out: usize): void {
  for (let y = 0; y < h; y++) primalRow(cells + <usize>y * row, row, (<usize>w + 3) >> 2, weight, out + <usize>y * ((<usize>p) << 2), PX, PY);
}

// @ts-ignore: decorator
@inline
function primalRow(at: usize, row: usize, count: usize, weight: f32, x: usize, across: usize, down: usize): void {
  const k = f32x4.splat(weight);
  let before = f32x4.splat(0.0);
  for (let i: usize = 0; i < count; i++) {
    const a = v128.load(at + across);
    const div = f32x4.add(f32x4.sub(a, v128.shuffle<f32>(before, a, 3, 4, 5, 6)), f32x4.sub(v128.load(at + down), v128.load(at - row + down)));
    v128.store(x, f32x4.add(v128.load(at), f32x4.mul(k, div)));
    before = a;
    at += CELL;
    x += 16;
  }
}

/** The next row of x, and this row of the dual variables. */
function stepRow(at: usize, row: usize, count: usize, weight: f32, inverse: f32, downwards: f32, carried: f32, x: usize, below: usize): void {
  const k = f32x4.splat(weight), kx = f32x4.splat(inverse), ky = f32x4.splat(downwards), on = f32x4.splat(carried), one = f32x4.splat(1.0);
  let before = f32x4.splat(0.0), here = v128.load(x), next = at + row;
  for (let i: usize = 0; i < count; i++) {
    const a = v128.load(next, QX), qy = v128.load(at, QY);
    const div = f32x4.add(f32x4.sub(a, v128.shuffle<f32>(before, a, 3, 4, 5, 6)), f32x4.sub(v128.load(next, QY), qy));
    const lower = f32x4.add(v128.load(next), f32x4.mul(k, div));
    v128.store(below, lower);
    before = a;
    const right = v128.load(x, 16);
    const ux = f32x4.add(v128.load(at, QX), f32x4.mul(kx, f32x4.sub(v128.shuffle<f32>(here, right, 1, 2, 3, 4), here)));
    const uy = f32x4.add(qy, f32x4.mul(ky, f32x4.sub(lower, here)));
    here = right;
    const short = f32x4.div(one, f32x4.sqrt(f32x4.pmax(one, f32x4.add(f32x4.mul(ux, ux), f32x4.mul(uy, uy)))));
    const nx = f32x4.mul(ux, short), ny = f32x4.mul(uy, short);
    v128.store(at, f32x4.add(nx, f32x4.mul(on, f32x4.sub(nx, v128.load(at, PX)))), QX);
    v128.store(at, f32x4.add(ny, f32x4.mul(on, f32x4.sub(ny, v128.load(at, PY)))), QY);
    v128.store(at, nx, PX);
    v128.store(at, ny, PY);
    at += CELL;
    next += CELL;
    x += 16;
    below += 16;
  }
}

// Second-order total variation by a primal-dual method, over planes that are taken as one row (what runs over the ends of rows stays within their margins).
// Source: Bredies, Kunisch & Pock 2010, SIAM J. Imaging Sci. 3, 492; Chambolle & Pock 2011, J. Math. Imaging Vis. 40, 120.

// @ts-ignore: decorator
@inline
function drawnBack(length2: v128, radius: v128): v128 {
  return f32x4.div(radius, f32x4.max(radius, f32x4.sqrt(length2)));
}

/** `steps` steps over `rows` rows. `at` holds the addresses of x̄, w̄ (2), p (2), q (3), y, x, w (2). */
export function secondSteps(at: usize, rows: i32, pitch: i32, size: f32, first: f32, second: f32, steps: i32): void {
  const row = pitch << 2;
  for (let t = 0; t < rows + 2 * steps - 1; t++)
    for (let k = 0; k < steps; k++) {
      const y = t - 2 * k;
      if (y >= 0 && y < rows) secondDual(at, y * row, row, size, first, second);
      if (y >= 1 && y <= rows) secondPrimal(at, (y - 1) * row, row, size);
    }
}

/** p ← P(p + σ (∇x̄ − w̄)), q ← P(q + σ E w̄), drawn back to lengths of `first` and `second`; for one row, `down` bytes long, that begins at byte `from` of each plane. */
function secondDual(at: usize, from: i32, down: i32, sigma: f32, first: f32, second: f32): void {
  const x = load<i32>(at), w1 = load<i32>(at, 4), w2 = load<i32>(at, 8), p1 = load<i32>(at, 12), p2 = load<i32>(at, 16);
  const q1 = load<i32>(at, 20), q2 = load<i32>(at, 24), q3 = load<i32>(at, 28);
  const s = f32x4.splat(sigma), a1 = f32x4.splat(first), a0 = f32x4.splat(second), half = f32x4.splat(0.5), two = f32x4.splat(2.0);
  for (let i: i32 = from; i < from + down; i += 16) {
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

/** x ← (x + τ (div p + y))/(1 + τ), w ← w + τ (p + div q); x̄, w̄ ← twice the new less the old; for one row as above. */
function secondPrimal(at: usize, from: i32, down: i32, tau: f32): void {
  const xb = load<i32>(at), w1b = load<i32>(at, 4), w2b = load<i32>(at, 8), p1 = load<i32>(at, 12), p2 = load<i32>(at, 16);
  const q1 = load<i32>(at, 20), q2 = load<i32>(at, 24), q3 = load<i32>(at, 28);
  const y = load<i32>(at, 32), x = load<i32>(at, 36), w1 = load<i32>(at, 40), w2 = load<i32>(at, 44);
  const t = f32x4.splat(tau), norm = f32x4.splat(<f32>1.0 / (<f32>1.0 + tau)), two = f32x4.splat(2.0);
  for (let i: i32 = from; i < from + down; i += 16) {
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
