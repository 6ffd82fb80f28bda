// One-dimensional complex FFT of 4 interleaved sequences: sample i of all four is one vector at byte 16 i.
// Decimation in frequency leaves the spectrum in digit-reversed order; decimation in time takes it back from there, so
// no reordering is ever done. Source: Cooley & Tukey 1965, Math. Comp. 19, 297; Gentleman & Sande 1966 (in place, DIF).
//
// Plan (i32 words): [stages, radix₀, address of twiddles₀, radix₁, address₁, …]. Twiddles of a stage with block size L,
// m = L / r: for j = 0 … m − 1, q = 1 … r − 1 the pair cos, −sin of 2π j q / L.

// @ts-ignore: decorator
@inline const SQRT3_2: f32 = 0.8660254037844386; // √3 / 2
// @ts-ignore: decorator
@inline const C51: f32 = 0.30901699437494745; // cos 2π/5
// @ts-ignore: decorator
@inline const C52: f32 = -0.8090169943749475; // cos 4π/5
// @ts-ignore: decorator
@inline const S51: f32 = 0.9510565162951535; // sin 2π/5
// @ts-ignore: decorator
@inline const S52: f32 = 0.5877852522924731; // sin 4π/5

// @ts-ignore: decorator
@inline function add(a: v128, b: v128): v128 { return f32x4.add(a, b); }
// @ts-ignore: decorator
@inline function sub(a: v128, b: v128): v128 { return f32x4.sub(a, b); }
// @ts-ignore: decorator
@inline function mul(a: v128, b: v128): v128 { return f32x4.mul(a, b); }

/** z · w stored at (re, im) + offset; w is read from `tw`. */
// @ts-ignore: decorator
@inline function storeTwisted(re: usize, im: usize, zr: v128, zi: v128, tw: usize): void {
  const c = v128.load32_splat(tw);
  const s = v128.load32_splat(tw, 4);
  v128.store(re, sub(mul(zr, c), mul(zi, s)));
  v128.store(im, add(mul(zr, s), mul(zi, c)));
}
// @ts-ignore: decorator
@inline function twistedRe(zr: v128, zi: v128, tw: usize): v128 {
  return sub(mul(zr, v128.load32_splat(tw)), mul(zi, v128.load32_splat(tw, 4)));
}
// @ts-ignore: decorator
@inline function twistedIm(zr: v128, zi: v128, tw: usize): v128 {
  return add(mul(zr, v128.load32_splat(tw, 4)), mul(zi, v128.load32_splat(tw)));
}

/** Forward transform in place, decimation in frequency: natural order in, digit-reversed order out. */
export function dif(re: usize, im: usize, n: i32, plan: usize): void {
  const stages = load<i32>(plan);
  let length = n;
  for (let stage = 0; stage < stages; stage++) {
    const radix = load<i32>(plan + 4 + ((<usize>stage) << 3));
    const tw0 = <usize>load<i32>(plan + 8 + ((<usize>stage) << 3));
    const m = length / radix;
    const step = (<usize>m) << 4;
    const block = (<usize>length) << 4;
    const end = (<usize>n) << 4;
    if (radix == 4) {
      for (let j = 0; j < m; j++) {
        const tw = tw0 + (<usize>j) * 24;
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, p3 = p2 + step;
          const q0 = im + at, q1 = q0 + step, q2 = q1 + step, q3 = q2 + step;
          const x0 = v128.load(p0), x1 = v128.load(p1), x2 = v128.load(p2), x3 = v128.load(p3);
          const y0 = v128.load(q0), y1 = v128.load(q1), y2 = v128.load(q2), y3 = v128.load(q3);
          const ar = add(x0, x2), ai = add(y0, y2), br = sub(x0, x2), bi = sub(y0, y2);
          const cr = add(x1, x3), ci = add(y1, y3), dr = sub(x1, x3), di = sub(y1, y3);
          v128.store(p0, add(ar, cr));
          v128.store(q0, add(ai, ci));
          if (j == 0) {
            v128.store(p1, add(br, di));
            v128.store(q1, sub(bi, dr));
            v128.store(p2, sub(ar, cr));
            v128.store(q2, sub(ai, ci));
            v128.store(p3, sub(br, di));
            v128.store(q3, add(bi, dr));
          } else {
            storeTwisted(p1, q1, add(br, di), sub(bi, dr), tw);
            storeTwisted(p2, q2, sub(ar, cr), sub(ai, ci), tw + 8);
            storeTwisted(p3, q3, sub(br, di), add(bi, dr), tw + 16);
          }
        }
      }
    } else if (radix == 2) {
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 3);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, q0 = im + at, q1 = q0 + step;
          const x0 = v128.load(p0), x1 = v128.load(p1), y0 = v128.load(q0), y1 = v128.load(q1);
          v128.store(p0, add(x0, x1));
          v128.store(q0, add(y0, y1));
          storeTwisted(p1, q1, sub(x0, x1), sub(y0, y1), tw);
        }
      }
    } else if (radix == 3) {
      const half = f32x4.splat(0.5), root = f32x4.splat(SQRT3_2);
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 4);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, q0 = im + at, q1 = q0 + step, q2 = q1 + step;
          const x0 = v128.load(p0), x1 = v128.load(p1), x2 = v128.load(p2);
          const y0 = v128.load(q0), y1 = v128.load(q1), y2 = v128.load(q2);
          const tr = add(x1, x2), ti = add(y1, y2);
          const mr = sub(x0, mul(half, tr)), mi = sub(y0, mul(half, ti));
          const sr = mul(root, sub(x1, x2)), si = mul(root, sub(y1, y2));
          v128.store(p0, add(x0, tr));
          v128.store(q0, add(y0, ti));
          storeTwisted(p1, q1, add(mr, si), sub(mi, sr), tw);
          storeTwisted(p2, q2, sub(mr, si), add(mi, sr), tw + 8);
        }
      }
    } else {
      const c1 = f32x4.splat(C51), c2 = f32x4.splat(C52), s1 = f32x4.splat(S51), s2 = f32x4.splat(S52);
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 5);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, p3 = p2 + step, p4 = p3 + step;
          const q0 = im + at, q1 = q0 + step, q2 = q1 + step, q3 = q2 + step, q4 = q3 + step;
          const x0 = v128.load(p0), x1 = v128.load(p1), x2 = v128.load(p2), x3 = v128.load(p3), x4 = v128.load(p4);
          const y0 = v128.load(q0), y1 = v128.load(q1), y2 = v128.load(q2), y3 = v128.load(q3), y4 = v128.load(q4);
          const ar = add(x1, x4), ai = add(y1, y4), br = add(x2, x3), bi = add(y2, y3);
          const er = sub(x1, x4), ei = sub(y1, y4), fr = sub(x2, x3), fi = sub(y2, y3);
          v128.store(p0, add(x0, add(ar, br)));
          v128.store(q0, add(y0, add(ai, bi)));
          const gr = add(x0, add(mul(c1, ar), mul(c2, br))), gi = add(y0, add(mul(c1, ai), mul(c2, bi)));
          const hr = add(x0, add(mul(c2, ar), mul(c1, br))), hi = add(y0, add(mul(c2, ai), mul(c1, bi)));
          const kr = add(mul(s1, er), mul(s2, fr)), ki = add(mul(s1, ei), mul(s2, fi));
          const lr = sub(mul(s2, er), mul(s1, fr)), li = sub(mul(s2, ei), mul(s1, fi));
          storeTwisted(p1, q1, add(gr, ki), sub(gi, kr), tw);
          storeTwisted(p2, q2, add(hr, li), sub(hi, lr), tw + 8);
          storeTwisted(p3, q3, sub(hr, li), add(hi, lr), tw + 16);
          storeTwisted(p4, q4, sub(gr, ki), add(gi, kr), tw + 24);
        }
      }
    }
    length = m;
  }
}

/**
 * The transform of `dif` undone but for its direction: digit-reversed order in, natural order out, forward sign.
 * Called with re and im exchanged it is the inverse transform times n (swap(z) = i·conj(z)).
 */
export function dit(re: usize, im: usize, n: i32, plan: usize): void {
  const stages = load<i32>(plan);
  let m = 1;
  for (let stage = stages - 1; stage >= 0; stage--) {
    const radix = load<i32>(plan + 4 + ((<usize>stage) << 3));
    const tw0 = <usize>load<i32>(plan + 8 + ((<usize>stage) << 3));
    const length = m * radix;
    const step = (<usize>m) << 4;
    const block = (<usize>length) << 4;
    const end = (<usize>n) << 4;
    if (radix == 4) {
      for (let j = 0; j < m; j++) {
        const tw = tw0 + (<usize>j) * 24;
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, p3 = p2 + step;
          const q0 = im + at, q1 = q0 + step, q2 = q1 + step, q3 = q2 + step;
          const x0 = v128.load(p0), y0 = v128.load(q0);
          let x1 = v128.load(p1), x2 = v128.load(p2), x3 = v128.load(p3);
          let y1 = v128.load(q1), y2 = v128.load(q2), y3 = v128.load(q3);
          if (j != 0) {
            const a = twistedRe(x1, y1, tw), b = twistedIm(x1, y1, tw);
            const c = twistedRe(x2, y2, tw + 8), d = twistedIm(x2, y2, tw + 8);
            const e = twistedRe(x3, y3, tw + 16), f = twistedIm(x3, y3, tw + 16);
            x1 = a; y1 = b; x2 = c; y2 = d; x3 = e; y3 = f;
          }
          const ar = add(x0, x2), ai = add(y0, y2), br = sub(x0, x2), bi = sub(y0, y2);
          const cr = add(x1, x3), ci = add(y1, y3), dr = sub(x1, x3), di = sub(y1, y3);
          v128.store(p0, add(ar, cr));
          v128.store(q0, add(ai, ci));
          v128.store(p1, add(br, di));
          v128.store(q1, sub(bi, dr));
          v128.store(p2, sub(ar, cr));
          v128.store(q2, sub(ai, ci));
          v128.store(p3, sub(br, di));
          v128.store(q3, add(bi, dr));
        }
      }
    } else if (radix == 2) {
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 3);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, q0 = im + at, q1 = q0 + step;
          const x0 = v128.load(p0), y0 = v128.load(q0), xr = v128.load(p1), xi = v128.load(q1);
          const x1 = twistedRe(xr, xi, tw), y1 = twistedIm(xr, xi, tw);
          v128.store(p0, add(x0, x1));
          v128.store(q0, add(y0, y1));
          v128.store(p1, sub(x0, x1));
          v128.store(q1, sub(y0, y1));
        }
      }
    } else if (radix == 3) {
      const half = f32x4.splat(0.5), root = f32x4.splat(SQRT3_2);
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 4);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, q0 = im + at, q1 = q0 + step, q2 = q1 + step;
          const x0 = v128.load(p0), y0 = v128.load(q0);
          const ur = v128.load(p1), ui = v128.load(q1), vr = v128.load(p2), vi = v128.load(q2);
          const x1 = twistedRe(ur, ui, tw), y1 = twistedIm(ur, ui, tw);
          const x2 = twistedRe(vr, vi, tw + 8), y2 = twistedIm(vr, vi, tw + 8);
          const tr = add(x1, x2), ti = add(y1, y2);
          const mr = sub(x0, mul(half, tr)), mi = sub(y0, mul(half, ti));
          const sr = mul(root, sub(x1, x2)), si = mul(root, sub(y1, y2));
          v128.store(p0, add(x0, tr));
          v128.store(q0, add(y0, ti));
          v128.store(p1, add(mr, si));
          v128.store(q1, sub(mi, sr));
          v128.store(p2, sub(mr, si));
          v128.store(q2, add(mi, sr));
        }
      }
    } else {
      const c1 = f32x4.splat(C51), c2 = f32x4.splat(C52), s1 = f32x4.splat(S51), s2 = f32x4.splat(S52);
      for (let j = 0; j < m; j++) {
        const tw = tw0 + ((<usize>j) << 5);
        for (let at = (<usize>j) << 4; at < end; at += block) {
          const p0 = re + at, p1 = p0 + step, p2 = p1 + step, p3 = p2 + step, p4 = p3 + step;
          const q0 = im + at, q1 = q0 + step, q2 = q1 + step, q3 = q2 + step, q4 = q3 + step;
          const x0 = v128.load(p0), y0 = v128.load(q0);
          const x1 = twistedRe(v128.load(p1), v128.load(q1), tw), y1 = twistedIm(v128.load(p1), v128.load(q1), tw);
          const x2 = twistedRe(v128.load(p2), v128.load(q2), tw + 8), y2 = twistedIm(v128.load(p2), v128.load(q2), tw + 8);
          const x3 = twistedRe(v128.load(p3), v128.load(q3), tw + 16), y3 = twistedIm(v128.load(p3), v128.load(q3), tw + 16);
          const x4 = twistedRe(v128.load(p4), v128.load(q4), tw + 24), y4 = twistedIm(v128.load(p4), v128.load(q4), tw + 24);
          const ar = add(x1, x4), ai = add(y1, y4), br = add(x2, x3), bi = add(y2, y3);
          const er = sub(x1, x4), ei = sub(y1, y4), fr = sub(x2, x3), fi = sub(y2, y3);
          v128.store(p0, add(x0, add(ar, br)));
          v128.store(q0, add(y0, add(ai, bi)));
          const gr = add(x0, add(mul(c1, ar), mul(c2, br))), gi = add(y0, add(mul(c1, ai), mul(c2, bi)));
          const hr = add(x0, add(mul(c2, ar), mul(c1, br))), hi = add(y0, add(mul(c2, ai), mul(c1, bi)));
          const kr = add(mul(s1, er), mul(s2, fr)), ki = add(mul(s1, ei), mul(s2, fi));
          const lr = sub(mul(s2, er), mul(s1, fr)), li = sub(mul(s2, ei), mul(s1, fi));
          v128.store(p1, add(gr, ki));
          v128.store(q1, sub(gi, kr));
          v128.store(p2, add(hr, li));
          v128.store(q2, sub(hi, lr));
          v128.store(p3, sub(hr, li));
          v128.store(q3, add(hi, lr));
          v128.store(p4, sub(gr, ki));
          v128.store(q4, add(gi, kr));
        }
      }
    }
    m = length;
  }
}
