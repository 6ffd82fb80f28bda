import { decoderOf } from "./samples";

/** Numbers as a file holds them, most significant byte first, after three bytes of something else. */
function stored(values: readonly number[]): DataView {
  const view = new DataView(new ArrayBuffer(3 + 4 * values.length));
  values.forEach((value, k) => view.setFloat32(3 + 4 * k, value, false));
  return view;
}

test.each([
  ["as they are", 1, 0],
  ["scaled", 2, -3],
])("floats %s: the infinite are NaN, all else is exact, whatever their number and place", (_, scale, zero) => {
  const decode = decoderOf(-32, scale, zero, undefined);
  const values = [1.5, -0.1, Infinity, -Infinity, NaN, -0, 1e-45, 3.4e38 / 4, -65504].map(Math.fround);
  for (let count = 0; count <= values.length; count++) {
    const out = new Float32Array(count + 4).fill(7);
    decode(stored(values), 3, out, 2, count);
    const expected = values
      .slice(0, count)
      .map((v) => (!Number.isFinite(v) ? NaN : scale === 1 ? v : Math.fround(v * scale + zero)));
    expect([...out]).toEqual([7, 7, ...expected, 7, 7]);
  }
});
