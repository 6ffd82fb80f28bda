// Colours of a mosaic, four pixels of a kind at once. A row lies as its even columns and, `odd` bytes after, its odd ones, so that pixels of a kind
// follow each other; it begins two pixels before the picture. In what follows `s` is where a vector of pixels lies and `d` where their left
// neighbours lie; `n1`, `n2`, … are the distances to the rows above and below.
let odd: usize, rowBytes: usize;

/** Rows of `bytes` bytes each, the odd columns `oddAt` bytes after the even ones. */
export function mosaicBegin(bytes: usize, oddAt: usize): void { rowBytes = bytes; odd = oddAt; }

/** Splits a padded row of n floats (n: a multiple of 8, what is over is never used) into even and odd columns. */
export function mosaicSplit(row: usize, n: i32, out: usize): void {
  const end = (<usize>n) << 2;
  for (let x: usize = 0; x < end; x += 32) {
    const a = v128.load(row + x), b = v128.load(row + x, 16);
    v128.store(out + (x >> 1), v128.shuffle<f32>(a, b, 0, 2, 4, 6));
    v128.store(out + odd + (x >> 1), v128.shuffle<f32>(a, b, 1, 3, 5, 7));
  }
}

// @ts-ignore: decorator
@inline function add(a: v128, b: v128): v128 { return f32x4.add(a, b); }
// @ts-ignore: decorator
@inline function sub(a: v128, b: v128): v128 { return f32x4.sub(a, b); }
// @ts-ignore: decorator
@inline function times(a: v128, k: f32): v128 { return f32x4.mul(a, f32x4.splat(k)); }
// @ts-ignore: decorator
@inline function lower(a: v128, b: v128): v128 { return f32x4.pmin(a, b); }
// @ts-ignore: decorator
@inline function higher(a: v128, b: v128): v128 { return f32x4.pmax(a, b); }
// @ts-ignore: decorator
@inline function least4(a: v128, b: v128, c: v128, e: v128): v128 { return lower(lower(a, b), lower(c, e)); }
/** NaN stays: pmax and pmin take the first unless the second is greater or less. */
// @ts-ignore: decorator
@inline function within(value: v128, low: v128, high: v128): v128 { return f32x4.pmin(f32x4.pmax(value, low), high); }
// @ts-ignore: decorator
@inline function share(own: v128, other: v128): v128 {
  const most = f32x4.splat(1.5);
  const ratio = v128.bitselect(f32x4.div(own, other), most, f32x4.lt(own, f32x4.mul(most, other)));
  return v128.bitselect(ratio, f32x4.splat(1), f32x4.gt(other, f32x4.splat(0)));
}
// @ts-ignore: decorator
@inline function between(a: v128, b: v128, detail: v128, lowest: v128, rise: v128): v128 {
  const mean = times(add(a, b), 0.5);
  return within(add(mean, times(f32x4.mul(share(sub(mean, lowest), rise), detail), 0.125)), lower(a, b), higher(a, b));
}
// @ts-ignore: decorator
@inline function amid(a: v128, b: v128, c: v128, e: v128, detail: v128, rise: v128): v128 {
  const lowest = least4(a, b, c, e);
  const mean = times(add(add(a, b), add(c, e)), 0.25);
  return within(add(mean, times(f32x4.mul(share(sub(mean, lowest), rise), detail), 0.125)), lowest, higher(higher(a, b), higher(c, e)));
}
// @ts-ignore: decorator
@inline function diagonal(d: usize): v128 {
  const n = d - rowBytes, t = d + rowBytes;
  return add(add(v128.load(n), v128.load(n, 4)), add(v128.load(t), v128.load(t, 4)));
}

let one: v128 = f32x4.splat(0), two: v128 = f32x4.splat(0);

// @ts-ignore: decorator
@inline function bilinear(s: usize, d: usize, isGreen: bool): void {
  const beside = add(v128.load(d), v128.load(d, 4));
  const over = add(v128.load(s - rowBytes), v128.load(s + rowBytes));
  one = isGreen ? times(beside, 0.5) : times(add(beside, over), 0.25);
  two = isGreen ? times(over, 0.5) : times(diagonal(d), 0.25);
}

// @ts-ignore: decorator
@inline function linear5(s: usize, d: usize, isGreen: bool): void {
  const v = v128.load(s);
  const beside = add(v128.load(d), v128.load(d, 4));
  const over = add(v128.load(s - rowBytes), v128.load(s + rowBytes));
  const across = add(v128.load(s - 4), v128.load(s, 4));
  const along = add(v128.load(s - 2 * rowBytes), v128.load(s + 2 * rowBytes));
  const slanted = diagonal(d);
  if (isGreen) {
    one = times(add(sub(sub(add(times(v, 5), times(beside, 4)), across), slanted), times(along, 0.5)), 0.125);
    two = times(add(sub(sub(add(times(v, 5), times(over, 4)), along), slanted), times(across, 0.5)), 0.125);
  } else {
    one = times(sub(sub(add(times(v, 4), times(add(beside, over), 2)), across), along), 0.125);
    two = times(sub(add(times(v, 6), times(slanted, 2)), times(add(across, along), 1.5)), 0.125);
  }
}

// @ts-ignore: decorator
@inline function limited(s: usize, d: usize, isGreen: bool): void {
  const n = s - rowBytes, t = s + rowBytes, dn = d - rowBytes, dt = d + rowBytes;
  const v = v128.load(s), w2 = v128.load(s - 4), e2 = v128.load(s, 4);
  const n2 = v128.load(n - rowBytes), s2 = v128.load(t + rowBytes);
  const nw = v128.load(dn), ne = v128.load(dn, 4), sw = v128.load(dt), se = v128.load(dt, 4);
  const left = v128.load(d), right = v128.load(d, 4), up = v128.load(n), down = v128.load(t);
  const across = add(w2, e2), along = add(n2, s2);
  const straight = least4(w2, e2, n2, s2);
  if (isGreen) {
    const slanted = add(add(nw, ne), add(sw, se));
    const lowest = lower(lower(v, straight), least4(nw, ne, sw, se));
    const rise = sub(times(add(times(v, 4), slanted), 0.125), lowest);
    const inRow = least4(v128.load(dn - rowBytes), v128.load(dn - rowBytes, 4), v128.load(dt + rowBytes), v128.load(dt + rowBytes, 4));
    const inColumn = least4(v128.load(n - 4), v128.load(n, 4), v128.load(t - 4), v128.load(t, 4));
    const level = sub(times(v, 5), slanted);
    one = between(left, right, add(sub(level, across), times(along, 0.5)), lower(lower(left, right), inRow), rise);
    two = between(up, down, add(sub(level, along), times(across, 0.5)), lower(lower(up, down), inColumn), rise);
  } else {
    const rise = sub(times(add(add(times(v, 4), across), along), 0.125), lower(v, straight));
    const detail = sub(sub(times(v, 4), across), along);
    one = amid(left, right, up, down, detail, rise);
    two = amid(nw, ne, sw, se, times(detail, 1.5), rise);
  }
}

/** A table: for each of eight directions the number of pairs, then each pair's two places (bytes from s) and its factor; then own, first and second: a number of places, the places. */
let tables: usize, sizes: usize;
export function mosaicTables(at: usize, room: usize): void { tables = at; sizes = room; }

// @ts-ignore: decorator
@inline function meanOf(s: usize, table: usize): v128 {
  const n = load<i32>(table);
  let sum = v128.load(s + load<i32>(table, 4));
  for (let k = 1; k < n; k++) sum = add(sum, v128.load(s + load<i32>(table + ((<usize>k) << 2), 4)));
  return n == 1 ? sum : times(sum, <f32>1 / <f32>n);
}

// @ts-ignore: decorator
@inline function after(table: usize): usize { return table + 4 + ((<usize>load<i32>(table)) << 2); }

function gradients(s: usize, table: usize): void {
  let least = f32x4.splat(Infinity), most = f32x4.splat(0);
  let at = table;
  for (let direction: usize = 0; direction < 128; direction += 16) {
    const n = load<i32>(at);
    at += 4;
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++, at += 12)
      sum = add(sum, times(f32x4.abs(sub(v128.load(s + load<i32>(at)), v128.load(s + load<i32>(at, 4)))), load<f32>(at, 8)));
    v128.store(sizes + direction, sum);
    least = lower(least, sum);
    most = higher(most, sum);
    at = after(after(after(at)));
  }
  const limit = add(times(least, 1.5), times(sub(most, least), 0.5));
  let count = f32x4.splat(0), own = count, first = count, second = count;
  const unit = f32x4.splat(1);
  at = table;
  for (let direction: usize = 0; direction < 128; direction += 16) {
    at += 4 + 12 * <usize>load<i32>(at);
    const over = f32x4.gt(v128.load(sizes + direction), limit);
    count = add(count, v128.andnot(unit, over));
    own = add(own, v128.andnot(meanOf(s, at), over));
    at = after(at);
    first = add(first, v128.andnot(meanOf(s, at), over));
    at = after(at);
    second = add(second, v128.andnot(meanOf(s, at), over));
    at = after(at);
  }
  const v = v128.load(s);
  one = add(v, f32x4.div(sub(first, own), count));
  two = add(v, f32x4.div(sub(second, own), count));
}

// @ts-ignore: decorator
@inline function missing(how: i32, s: usize, d: usize, isGreen: bool, table: usize): void {
  if (how == 0) bilinear(s, d, isGreen);
  else if (how == 1) linear5(s, d, isGreen);
  else if (how == 2) limited(s, d, isGreen);
  else gradients(s, table);
}

// @ts-ignore: decorator
@inline function interleave(out: usize, evens: v128, odds: v128): void {
  v128.store(out, v128.shuffle<f32>(evens, odds, 0, 4, 1, 5));
  v128.store(out, v128.shuffle<f32>(evens, odds, 2, 6, 3, 7), 16);
}

// @ts-ignore: decorator
@inline function rowBy(how: i32, row: usize, n: i32, greenIsOdd: bool, inRow: usize, green: usize, opposite: usize, tableBytes: usize): void {
  // The picture's first pixel lies one pair after the row's.
  const even = row + 4, far = row + odd + 4;
  const g = greenIsOdd ? far : even, gLeft = greenIsOdd ? even : far - 4;
  const c = greenIsOdd ? even : far, cLeft = greenIsOdd ? far - 4 : even;
  // Tables: at green in even columns, at green in odd ones, at others in even ones, at others in odd ones.
  const atGreen = tables + (greenIsOdd ? tableBytes : 0), atOther = tables + (greenIsOdd ? 2 : 3) * tableBytes;
  for (let j = 0; j < n; j += 8) {
    const at = (<usize>j) << 1, to = (<usize>j) << 2;
    missing(how, g + at, gLeft + at, true, atGreen);
    const gRow = one, gOpposite = two, gOwn = v128.load(g + at);
    missing(how, c + at, cLeft + at, false, atOther);
    const cOwn = v128.load(c + at);
    if (greenIsOdd) {
      interleave(inRow + to, cOwn, gRow);
      interleave(green + to, one, gOwn);
      interleave(opposite + to, two, gOpposite);
    } else {
      interleave(inRow + to, gRow, cOwn);
      interleave(green + to, gOwn, one);
      interleave(opposite + to, gOpposite, two);
    }
  }
}

/**
 * One row of n pixels (what is written is a multiple of 8): the colour that the row has besides green, green, and the opposite colour. `row`: where it
 * lies, split, among its neighbours. `how`: 0 bilinear, 1 gradient-corrected, 2 that limited, 3 by gradients with tables of `tableBytes`.
 */
export function mosaicRow(how: i32, row: usize, n: i32, greenIsOdd: i32, inRow: usize, green: usize, opposite: usize, tableBytes: usize): void {
  const isOdd = greenIsOdd != 0;
  if (how == 0) rowBy(0, row, n, isOdd, inRow, green, opposite, 0);
  else if (how == 1) rowBy(1, row, n, isOdd, inRow, green, opposite, 0);
  else if (how == 2) rowBy(2, row, n, isOdd, inRow, green, opposite, 0);
  else rowBy(3, row, n, isOdd, inRow, green, opposite, tableBytes);
}
