import { fixture, plainKernels, wasmKernels, worstDifference } from "../testing/fixtures";

describe.each([
  ["wasm", wasmKernels()],
  ["plain", plainKernels()],
])("%s kernels", (_, kernels) => {
  test("the B3 starlet smoothing equals scipy's mirrored convolution at four scales", () => {
    const { width, height, plane, smooth } = fixture<{
      width: number;
      height: number;
      plane: number[];
      smooth: number[][];
    }>("starlet.json");
    let current: Float32Array = Float32Array.from(plane);
    smooth.forEach((expected, scale) => {
      current = kernels.starletSmooth(current, width, height, scale);
      expect(worstDifference(current, expected)).toBeLessThan(1e-6);
    });
  });

  test("Richardson–Lucy equals scikit-image's on the same input, after 1, 10 and 30 iterations", () => {
    const { size, psf_size, psf, data, start, results } = fixture<{
      size: number;
      psf_size: number;
      psf: number[];
      data: number[];
      start: number;
      results: Record<string, number[]>;
    }>("richardson_lucy.json");
    const shape = { size: psf_size, values: Float32Array.from(psf) };
    for (const [iterations, expected] of Object.entries(results)) {
      const settings = { iterations: Number(iterations), start, floor: 1e-12 };
      const result = kernels.richardsonLucy(Float32Array.from(data), size, size, shape, settings);
      const range = Math.max(...expected);
      expect(worstDifference(result, expected) / range).toBeLessThan(1e-4);
    }
  });

  test("a point stays a point under a PSF of one pixel, and a PSF comes out of a point", () => {
    const plane = new Float32Array(25);
    plane[12] = 1;
    const one = { size: 1, values: Float32Array.of(1) };
    expect(worstDifference(kernels.convolve(plane, 5, 5, one), plane)).toBeLessThan(1e-6);
    const psf = { size: 3, values: Float32Array.from([1, 2, 3, 4, 5, 6, 7, 8, 9], (v) => v / 45) };
    const out = kernels.convolve(plane, 5, 5, psf);
    expect(out[6]).toBeCloseTo(1 / 45, 6);
    expect(out[18]).toBeCloseTo(9 / 45, 6);
  });

  test("shrinkage leaves a picture without significant detail smooth, and k = 0 leaves it alone", () => {
    const plane = Float32Array.from({ length: 400 }, (_, i) => ((i * 7919) % 13) * 0.01);
    const gentle = { inverseSigma: [[1e-3, 1e-3]], k: 2, protect: 0 };
    const [flat] = kernels.starletShrink([plane], 20, 20, gentle);
    const twice = kernels.starletSmooth(kernels.starletSmooth(plane, 20, 20, 0), 20, 20, 1);
    expect(worstDifference(flat, twice)).toBeLessThan(1e-6);
    const [same] = kernels.starletShrink([plane], 20, 20, { ...gentle, k: 0 });
    expect(same).toEqual(plane);
    expect(same).not.toBe(plane);
  });

  test("coefficients far above the noise stay to one part in a thousand", () => {
    const plane = Float32Array.from({ length: 400 }, (_, i) => (i === 210 ? 100 : 0));
    const [kept] = kernels.starletShrink([plane], 20, 20, { inverseSigma: [[100, 100]], k: 1, protect: 0 });
    expect(kept[210]).toBeGreaterThan(99.9);
  });
});
