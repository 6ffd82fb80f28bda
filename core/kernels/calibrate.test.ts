import { createRandom } from "../numeric/random";
import { kernelBytes } from "../testing/kernelBytes";
import { createPlainKernels, createWasmKernels } from "./index";
import { INTERPOLATIONS } from "./mosaic/contract";

const [plain, wasm] = [createPlainKernels(), createWasmKernels(kernelBytes())];
const random = createRandom(31);
const noise = (n: number, level: number, sigma: number) =>
  Float32Array.from({ length: n }, () => level + sigma * random.normal());

/** Largest difference; infinite where one has no number and the other has. */
function worst(a: Float32Array, b: Float32Array): number {
  expect(a.length).toBe(b.length);
  return a.reduce((most, v, i) => {
    if (v !== v && b[i] !== b[i]) return most;
    const off = Math.abs(v - b[i]);
    return off === off ? Math.max(most, off) : Infinity;
  }, 0);
}

describe.each([
  [1, 1],
  [2, 3],
  [9, 10],
  [64, 48],
  [101, 37],
])("on %i × %i", (width, height) => {
  const n = width * height;

  test.each(
    INTERPOLATIONS.flatMap((how) =>
      [
        [0, 1, 1, 2],
        [2, 1, 1, 0],
        [1, 0, 2, 1],
        [1, 2, 0, 1],
      ].map((cell) => [how, cell] as const),
    ),
  )("colours by %s of the cell %j are alike in both, gaps too", (how, cell) => {
    const mosaic = noise(n, 100, 10);
    // Stars, and pixels without a value.
    for (let k = 5; k < n; k += 83) mosaic[k] += 3000;
    for (let k = 40; k < n; k += 311) mosaic[k] = NaN;
    const [a, b] = [plain, wasm].map((kernels) =>
      kernels.demosaic(how, mosaic, width, height, cell as unknown as [number, number, number, number]),
    );
    expect(a.length).toBe(3);
    a.forEach((plane, c) => expect(worst(plane, b[c])).toBeLessThan(2e-3));
    // What was measured is left as it is.
    const changed = mosaic.filter((v, i) => {
      const place = (Math.floor(i / width) & 1) * 2 + ((i % width) & 1);
      return v === v && b[cell[place]][i] !== v;
    });
    expect(changed.length).toBe(0);
  });

  test.each([1, 2] as const)("masters are applied alike in both, with a cell of %i", (pitch) => {
    const raw = noise(n, 1000, 30);
    for (let k = 7; k < n; k += 50) raw[k] = 60_000;
    const [bias, dark, flat] = [noise(n, 500, 2), noise(n, 540, 3), noise(n, 30_000, 200)];
    for (let k = 11; k < n; k += 70) flat[k] = k % 140 === 11 ? 0 : -3;
    const common = {
      flatMeans: [30_000, 28_000, 31_000, 25_000].slice(0, pitch * pitch),
      pitch,
      saturation: 59_000,
      pedestal: 10,
    };
    for (const masters of [
      { bias, dark, flat, darkScale: 1.5, ...common },
      { bias: null, dark, flat, darkScale: 1, ...common },
      { bias, dark: null, flat: null, darkScale: 1, ...common },
      { bias: null, dark: null, flat: null, darkScale: 1, ...common },
    ]) {
      const [a, b] = [raw.slice(), raw.slice()];
      plain.applyMasters(a, width, height, masters);
      wasm.applyMasters(b, width, height, masters);
      expect(worst(a, b)).toBeLessThan(0.02);
    }
  });

  test.each([1, 2] as const)("lone outliers are alike in both, with a cell of %i", (pitch) => {
    const plane = noise(n, 100, 5);
    for (let k = 3; k < n; k += 97) plane[k] += k % 2 === 0 ? 80 : -80;
    for (let k = 60; k < n; k += 211) plane[k] = NaN;
    const limits = [20, 25, 25, 30].slice(0, pitch * pitch);
    const [a, b] = [plain, wasm].map((kernels) => kernels.loneOutliers(plane, width, height, pitch, limits));
    expect([...b]).toEqual([...a]);
    if (n > 3000) expect(new Set(a)).toEqual(new Set([0, 1, 2]));
  });
});

test("the colours of a mosaic by hand: bilinear means of the nearest, mirrored at the border", () => {
  // R G / G B
  const mosaic = Float32Array.of(1, 2, 3, 4, 10, 20, 30, 40, 100, 200, 300, 400);
  for (const kernels of [plain, wasm]) {
    const [red, green, blue] = kernels.demosaic("bilinear", mosaic, 4, 3, [0, 1, 1, 2]);
    expect(green[5]).toBe((2 + 10 + 30 + 200) / 4);
    expect(red[5]).toBe((1 + 3 + 100 + 300) / 4);
    expect(blue[0]).toBe(20);
    expect(red[3]).toBe(3);
  }
});

test("planes, masters and cells that do not go together are refused", () => {
  const plane = noise(16, 1, 1);
  const masters = {
    bias: null,
    dark: noise(9, 1, 1),
    flat: null,
    darkScale: 1,
    flatMeans: [],
    pitch: 1 as const,
    saturation: 1,
    pedestal: 0,
  };
  for (const kernels of [plain, wasm]) {
    expect(() => kernels.demosaic("limited", plane, 4, 4, [0, 0, 1, 2])).toThrow(RangeError);
    expect(() => kernels.demosaic("limited", plane, 5, 4, [0, 1, 1, 2])).toThrow(RangeError);
    expect(() => kernels.applyMasters(plane, 4, 4, masters)).toThrow(/dark must have 16/);
    expect(() => kernels.applyMasters(plane, 4, 4, { ...masters, dark: null, flat: plane })).toThrow(/1 means/);
    expect(() => kernels.loneOutliers(plane, 5, 4, 1, [1])).toThrow(RangeError);
  }
});
