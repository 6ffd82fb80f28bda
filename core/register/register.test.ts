import { fc } from "../testing/properties";
import { createRandom } from "../numeric/random";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import { cropRaster, robustSpread, rasterOf } from "../raster";
import type { PatternStar, Warp } from "./index";
import {
  compose,
  describeWarp,
  fitWarp,
  IDENTITY,
  inverse,
  linear,
  mapPoint,
  matchStars,
  matrixAt,
  resample,
  resamplingNoiseGain,
  rotationAbout,
  shiftBy,
  sourceRegion,
} from "./index";

const kernels = wasmKernels();
const field = (count: number, seed: number): PatternStar[] =>
  randomStars(count, 900, 600, seed).map((star) => ({ ...star, snr: 400 * star.flux }));

function moved(stars: PatternStar[], transform: Warp, jitter: number, seed: number): PatternStar[] {
  const random = createRandom(seed);
  return stars.map((star) => {
    const [x, y] = mapPoint(transform, star.x, star.y);
    return {
      ...star,
      x: x + jitter * random.normal(),
      y: y + jitter * random.normal(),
      flux: star.flux * (1 + 0.05 * random.normal()),
    };
  });
}

describe("transforms", () => {
  const t = linear([0.9, 0.2, 5, -0.3, 1.1, -2]);
  test("the worked example of the convention, inverse and composition", () => {
    expect(mapPoint(linear([1, 0, 5, 0, 1, -2]), 10, 10)).toEqual([15, 8]);
    const both = compose(inverse(t), t);
    both.matrix.forEach((v, i) => expect(v).toBeCloseTo(IDENTITY.matrix[i], 12));
    const [x, y] = mapPoint(compose(t, rotationAbout(0.3, 4, 5, 1, 2)), 7, 8);
    const inner = mapPoint(rotationAbout(0.3, 4, 5, 1, 2), 7, 8);
    expect([x, y]).toEqual(mapPoint(t, ...inner).map((v) => expect.closeTo(v, 10)));
    expect(() => inverse(linear([1, 2, 0, 2, 4, 0]))).toThrow(RangeError);
  });
  test("in words", () => {
    const { rotationDeg, scale } = describeWarp(rotationAbout(Math.PI / 6, 0, 0, 3, 4));
    expect(rotationDeg).toBeCloseTo(30, 10);
    expect(scale).toBeCloseTo(1, 12);
  });
});

describe("matching", () => {
  const reference = field(90, 3);

  test.each([0, 0.4, 17, 90, 180, 181, -143])("a turn of %d° with shift and noise is found to 0.05 px", (degrees) => {
    const truth = rotationAbout((degrees * Math.PI) / 180, 450, 300, 12.3, -7.9);
    const result = matchStars(moved(reference, inverse(truth), 0.03, 5), reference);
    if (!result.ok) throw new Error(result.reason.detail);
    for (const [x, y] of [
      [0, 0],
      [899, 599],
      [450, 300],
    ]) {
      const sub = mapPoint(inverse(truth), x, y);
      const [fx, fy] = mapPoint(result.value.warp, ...sub);
      expect(Math.hypot(fx - x, fy - y)).toBeLessThan(0.05);
    }
    expect(result.value.residualPx).toBeLessThan(0.1);
    expect(result.value.pairs.length).toBeGreaterThan(70);
  });

  test("missing and false stars, and another scale, do not hinder it", () => {
    const truth = compose(rotationAbout(2, 450, 300, 30, 20), linear([0.8, 0, 0, 0, 0.8, 0]));
    const kept = moved(reference, inverse(truth), 0.05, 6).filter((_, i) => i % 3 !== 0);
    const result = matchStars([...kept, ...field(25, 77)], reference);
    if (!result.ok) throw new Error(result.reason.detail);
    expect(describeWarp(result.value.warp).scale).toBeCloseTo(0.8, 3);
  });

  test("affine takes up shear that a similarity cannot", () => {
    const shear = linear([1.002, 0.003, 4, -0.001, 0.998, 2]);
    const sub = moved(reference, inverse(shear), 0.01, 8);
    const [similar, affine] = (["similarity", "affine"] as const).map((model) => matchStars(sub, reference, { model }));
    if (!similar.ok || !affine.ok) throw new Error("no match");
    expect(affine.value.residualPx).toBeLessThan(0.05);
    expect(matrixAt(affine.value.warp, 0, 0)[1]).toBeCloseTo(0.003, 4);
    expect(similar.value.residualPx).toBeGreaterThan(2 * affine.value.residualPx);
  });

  test("another field and too few stars fail with their reason", () => {
    const other = matchStars(field(80, 41), reference);
    expect(other).toMatchObject({ ok: false, reason: { why: "no-pattern" } });
    expect(matchStars(reference.slice(0, 4), reference)).toMatchObject({ ok: false, reason: { why: "too-few-stars" } });
  });

  test("least squares over exact pairs gives the transform back; too few pairs give none", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -3, max: 3, noNaN: true }),
        fc.double({ min: -50, max: 50, noNaN: true }),
        (angle, shift) => {
          const t = rotationAbout(angle, 10, 20, shift, -shift);
          const pairs = reference.slice(0, 5).map((p) => {
            const [x, y] = mapPoint(t, p.x, p.y);
            return [p, { x, y }] as const;
          });
          const fitted = fitWarp(pairs, "similarity");
          expect(fitted?.kind).toBe("similarity");
          for (const { x, y } of reference.slice(0, 9))
            mapPoint(fitted ?? IDENTITY, x, y).forEach((v, i) => expect(v).toBeCloseTo(mapPoint(t, x, y)[i], 6));
        },
      ),
    );
    expect(fitWarp([], "similarity")).toBeNull();
    expect(
      fitWarp(
        [
          [
            { x: 0, y: 0 },
            { x: 1, y: 1 },
          ],
          [
            { x: 1, y: 0 },
            { x: 2, y: 1 },
          ],
        ],
        "affine",
      ),
    ).toBeNull();
  });
});

describe("resampling", () => {
  const smooth = rasterOf(60, 50, [
    Float32Array.from({ length: 3000 }, (_, i) => 2 + Math.sin((i % 60) * 0.3) * Math.cos(Math.floor(i / 60) * 0.25)),
  ]);
  const value = (x: number, y: number) => 2 + Math.sin(x * 0.3) * Math.cos(y * 0.25);

  test("the identity and whole-pixel moves copy", () => {
    const same = resample(
      smooth,
      { x: 0, y: 0 },
      IDENTITY,
      { x: 5, y: 5, width: 20, height: 10 },
      { kernel: "lanczos3", kernels },
    );
    expect(same.planes[0][0]).toBe(smooth.planes[0][5 * 60 + 5]);
    const shifted = resample(
      smooth,
      { x: 0, y: 0 },
      shiftBy(3, -2),
      { x: 10, y: 10, width: 4, height: 4 },
      { kernel: "bicubic", kernels },
    );
    expect(shifted.planes[0][0]).toBe(smooth.planes[0][12 * 60 + 7]);
  });

  test.each(["lanczos3", "bicubic"] as const)("%s: a smooth function turned by 20° is right to 1 %%", (kernel) => {
    const t = rotationAbout(0.35, 30, 25, 0.4, 0.7);
    const out = resample(smooth, { x: 0, y: 0 }, t, { x: 22, y: 18, width: 16, height: 14 }, { kernel, kernels });
    const back = inverse(t);
    for (let y = 0; y < 14; y++)
      for (let x = 0; x < 16; x++)
        expect(Math.abs(out.planes[0][y * 16 + x] - value(...mapPoint(back, 22 + x, 18 + y)))).toBeLessThan(0.01);
  });

  test("outside the source and under a NaN there is no data", () => {
    const far = resample(
      smooth,
      { x: 0, y: 0 },
      shiftBy(100, 0),
      { x: 0, y: 0, width: 3, height: 3 },
      { kernel: "lanczos3", kernels },
    );
    expect(far.planes[0].every((v) => v !== v)).toBe(true);
    const holed = rasterOf(60, 50, [smooth.planes[0].slice()]);
    holed.planes[0][25 * 60 + 30] = NaN;
    const out = resample(
      holed,
      { x: 0, y: 0 },
      shiftBy(0.5, 0),
      { x: 0, y: 25, width: 60, height: 1 },
      { kernel: "lanczos3", kernels },
    );
    expect(out.planes[0].filter((v) => v !== v).length).toBe(6);
  });

  test("a star on flat sky gets no dark ring, and keeps its flux to 2 %", () => {
    const raster = paintStars(60, 60, [{ x: 30, y: 30, flux: 10 }], { fwhm: 1.8, noise: 0, level: 1 });
    const out = resample(
      raster,
      { x: 0, y: 0 },
      shiftBy(0.5, 0.5),
      { x: 5, y: 5, width: 50, height: 50 },
      { kernel: "lanczos3", kernels },
    ).planes[0];
    expect(Math.min(...out)).toBeGreaterThan(1 - 1e-4);
    const sum = (plane: Float32Array) => plane.reduce((total, v) => total + v - 1, 0);
    const before = sum(cropRaster(raster, { x: 5, y: 5, width: 50, height: 50 }).planes[0]);
    expect(Math.abs(sum(out) / before - 1)).toBeLessThan(0.02);
  });

  test("the source region holds all that a tile needs, also when turned and at the border", () => {
    const t = rotationAbout(Math.PI / 2, 30, 25, 0, 0);
    const tile = { x: 20, y: 20, width: 10, height: 6 };
    const part = sourceRegion(tile, t, smooth);
    const whole = resample(smooth, { x: 0, y: 0 }, t, tile, { kernel: "lanczos3", kernels });
    const planes = [
      Float32Array.from(
        { length: part.width * part.height },
        (_, i) => smooth.planes[0][(part.y + Math.floor(i / part.width)) * 60 + part.x + (i % part.width)],
      ),
    ];
    expect(
      resample(rasterOf(part.width, part.height, planes), part, t, tile, { kernel: "lanczos3", kernels }).planes[0],
    ).toEqual(whole.planes[0]);
    expect(sourceRegion({ x: 500, y: 0, width: 9, height: 9 }, IDENTITY, smooth).width).toBe(0);
  });

  test("the predicted loss of noise is what white noise loses", () => {
    const random = createRandom(2);
    const noise = rasterOf(256, 256, [Float32Array.from({ length: 65536 }, () => random.normal())]);
    const t = rotationAbout(0.02, 128, 128, 0.3, 0.6);
    const gain = resamplingNoiseGain(t, noise, "lanczos3");
    const out = resample(
      noise,
      { x: 0, y: 0 },
      t,
      { x: 16, y: 16, width: 224, height: 224 },
      { kernel: "lanczos3", kernels },
    ).planes[0];
    expect(Math.abs(robustSpread(out).sigma / gain - 1)).toBeLessThan(0.02);
    expect(gain).toBeLessThan(0.95);
    expect(resamplingNoiseGain(IDENTITY, noise, "lanczos3")).toBe(1);
  });
});
