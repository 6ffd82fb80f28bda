import { createPlainKernels } from "./kernels";
import { createRandom } from "../numeric/random";
import { wasmKernels, worstDifference } from "../testing/fixtures";

const [wasm, plain] = [wasmKernels(), createPlainKernels()];

test.each([
  [61, 40, 7],
  [16, 19, 19],
  [5, 4, 3],
])("%i × %i by %i px: both twins alike, and as the transform has it away from the border", (width, height, size) => {
  const random = createRandom(width);
  const plane = Float32Array.from({ length: width * height }, () => random.normal());
  const half = Float32Array.from({ length: size * size }, () => random.normal());
  // Even, as convolution turns it round.
  const filter = { size, values: half.map((v, k) => v + half[half.length - 1 - k]) };
  const [a, b] = [wasm, plain].map((kernels) => kernels.filterSmall(plane, width, height, filter));
  expect(worstDifference(a, b)).toBeLessThan(2e-4);
  const whole = wasm.convolve(plane, width, height, filter);
  const reach = size >> 1;
  a.forEach((v, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    const away = Math.min(x, y, width - 1 - x, height - 1 - y);
    if (away >= reach) expect(Math.abs(v - whole[i])).toBeLessThan(2e-4);
  });
});

test("a filter of one pixel multiplies; one of even side, and a plane of another size, are refused", () => {
  expect([...wasm.filterSmall(Float32Array.of(1, 2, 3, 4), 2, 2, { size: 1, values: Float32Array.of(2) })]).toEqual([
    2, 4, 6, 8,
  ]);
  const even = { size: 2, values: new Float32Array(4) };
  expect(() => wasm.filterSmall(new Float32Array(4), 2, 2, even)).toThrow(RangeError);
  expect(() => wasm.filterSmall(new Float32Array(3), 2, 2, { size: 1, values: new Float32Array(1) })).toThrow(
    RangeError,
  );
});
