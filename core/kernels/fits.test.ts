import { moffatTable } from "../measure";
import { createRandom } from "../numeric/random";
import { kernelBytes } from "../testing/kernelBytes";
import { createPlainKernels, createWasmKernels } from "./index";

const [plain, wasm] = [createPlainKernels(), createWasmKernels(kernelBytes())];
const SETTLED = { maxIterations: 40, leastGain: 1e-9 };
const SHAPES = [
  { fwhmMajor: 3.6, fwhmMinor: 2.9, angle: 0.5, beta: 3.1 },
  { fwhmMajor: 3.1, fwhmMinor: 3, angle: 0, beta: 2.6 },
];
const look = { profiles: SHAPES.map((shape) => moffatTable(shape)), shares: [0.7, 0.3] };

/** A square of what a function gives, over σ that change from sample to sample, with some noise. */
function squareOf(side: number, light: (x: number, y: number) => number, noise = 0) {
  const random = createRandom(side);
  const inverse = Float64Array.from({ length: side * side }, (_, i) => 1 / (1 + (i % 5) / 4));
  const data = inverse.map((w, i) => w * light(i % side, Math.floor(i / side)) + noise * random.normal());
  return { side, data, inverse };
}

/** A Moffat profile by its powers themselves, of α and β, turned by nothing. */
const moffat = (dx: number, dy: number, [ax, ay, beta]: number[]) => (1 + (dx / ax) ** 2 + (dy / ay) ** 2) ** -beta;

const expectAlike = (a: Float64Array, b: Float64Array) =>
  a.forEach((v, k) => expect(Math.abs(v - b[k])).toBeLessThan(1e-6 * (1 + Math.abs(v))));

test.each([13, 14, 19])(
  "a peak on a sloping level is found as it was drawn, the same by both, in a square of %s",
  (side) => {
    const shape = [2.4, 1.9, 3];
    const light = (x: number, y: number) => 12 + 0.3 * (x - (side - 1) / 2) + 90 * moffat(x - 6.3, y - 7.2, shape);
    const range = { slopes: true, x: 6, y: 7, leashPx: 3 };
    const start = Float64Array.from([10, 0, 0, 70, 6, 7, 0.2, 0, 0.2, 2.5]);
    const square = squareOf(side, light);
    const [p, w] = [plain, wasm].map((kernels) => kernels.fitPeak(square, range, start, SETTLED));
    const truth = [12, 0.3, 0, 90, 6.3, 7.2, 1 / 2.4 ** 2, 0, 1 / 1.9 ** 2, 3];
    truth.forEach((v, k) => expect(w.parameters[k]).toBeCloseTo(v, 3));
    expect(w.converged).toBe(true);
    expectAlike(p.parameters, w.parameters);
  },
);

test("stars in noise on a sloping level come out the same by both, as many as there are", () => {
  const kinds = [1, 2, 3].map((count) => {
    const at = [
      [7.2, 8.1, 120],
      [9.9, 8.4, 80],
      [8.2, 5.2, 60],
    ].slice(0, count);
    const drawn = new Float32Array(17 * 17);
    for (const [c, profile] of look.profiles.entries())
      plain.drawStars(
        { planes: [drawn], width: 17, height: 17, profiles: [profile], least: [0] },
        at.map(([x, y, h]) => ({ x, y, heights: [h * look.shares[c]] })),
        1,
      );
    const square = squareOf(17, (x, y) => 4 - 0.1 * (y - 8) + drawn[y * 17 + x], 0.5);
    const start = Float64Array.from([0, 0, 0, ...at.flatMap(([x, y, h]) => [x + 0.3, y - 0.2, 0.8 * h])]);
    const [p, w] = [plain, wasm].map((kernels) => kernels.fitPoints(square, look, start, SETTLED));
    at.forEach(([x, y, h], k) => {
      const [fx, fy, fh] = w.parameters.subarray(3 + 3 * k, 6 + 3 * k);
      expect(Math.hypot(fx - x, fy - y)).toBeLessThan(0.03);
      expect(Math.abs(fh / h - 1)).toBeLessThan(0.03);
    });
    expectAlike(p.parameters, w.parameters);
    expect(w.cost / p.cost).toBeCloseTo(1, 9);
    // The cost is that of noise of ½: samples less values.
    expect(Math.abs(w.cost / (0.25 * (289 - 3 - 3 * count)) - 1)).toBeLessThan(0.2);
    return w.parameters.length;
  });
  expect(kinds).toEqual([6, 9, 12]);
});

test("a peak stays within its leash and above nothing; where no step helps the start comes back", () => {
  const square = squareOf(15, (x, y) => 60 * moffat(x - 11, y - 7, [2, 2, 3]));
  const start = Float64Array.from([0, 30, 7, 7, 0.2, 0, 0.2, 3]);
  for (const kernels of [plain, wasm]) {
    const { parameters } = kernels.fitPeak(square, { slopes: false, x: 7, y: 7, leashPx: 2 }, start, SETTLED);
    expect(Math.hypot(parameters[2] - 7, parameters[3] - 7)).toBeLessThan(2);
    expect(parameters[1]).toBeGreaterThan(0);
  }
  const nothing = { side: 15, data: new Float64Array(225), inverse: new Float64Array(225) };
  const [p, w] = [plain, wasm].map((kernels) =>
    kernels.fitPeak(nothing, { slopes: false, x: 7, y: 7, leashPx: 2 }, start, SETTLED),
  );
  expect([...w.parameters]).toEqual([...start]);
  expect(w).toEqual(p);
});

test("squares and parameters that do not go together are refused", () => {
  const square = squareOf(9, () => 1);
  for (const kernels of [plain, wasm]) {
    expect(() => kernels.fitPoints(square, look, new Float64Array(5), SETTLED)).toThrow("9×9 samples");
    expect(() =>
      kernels.fitPeak({ ...square, side: 8 }, { slopes: true, x: 4, y: 4, leashPx: 1 }, new Float64Array(10), SETTLED),
    ).toThrow("received 81 and 81");
  }
});
