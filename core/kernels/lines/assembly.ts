// Sums along straight lines, four starts at a time.

/** Sums of `size` columns of `rows` floats (both at `current`, `next` as large); returns where they lie. As plain.ts, sum by sum. */
export function sumLines(current: usize, next: usize, rows: i32, size: i32): usize {
  const pitch = (<usize>rows) << 2;
  for (let strip: i32 = 1; strip < size; strip <<= 1) {
    for (let from: i32 = 0; from < size; from += 2 * strip)
      for (let rise: i32 = 0; rise < 2 * strip; rise++) {
        const half = rise >> 1;
        const shift = half + (rise & 1);
        const left = current + (<usize>(from + half)) * pitch;
        const right = current + (<usize>(from + strip + half)) * pitch + ((<usize>shift) << 2);
        const to = next + (<usize>(from + rise)) * pitch;
        const end = (<usize>(rows - shift)) << 2;
        let y: usize = 0;
        for (; y + 16 <= end; y += 16) v128.store(to + y, f32x4.add(v128.load(left + y), v128.load(right + y)));
        for (; y < end; y += 4) store<f32>(to + y, load<f32>(left + y) + load<f32>(right + y));
        for (; y < pitch; y += 4) store<f32>(to + y, load<f32>(left + y));
      }
    const other = current;
    current = next;
    next = other;
  }
  return current;
}
