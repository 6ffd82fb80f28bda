import { createRandom } from "../numeric/random";
import { paintStars, plainKernels, randomStars, wasmKernels } from "../testing/fixtures";
import { cropRaster, meanPlane } from "../raster";
import {
  fitBackgroundPlane,
  fitMoffat,
  findStars,
  measureBackground,
  measurePicture,
  measureSub,
  moffatAlpha,
  moffatFwhm,
  moffatPsf,
  roundPsf,
  scaleNoise,
  STARLET_NOISE,
  starShape,
  whiteNoise,
} from "./index";

const kernels = wasmKernels();

describe("constants", () => {
  test("FWHM of a Moffat profile: half the height at half the width (Moffat 1969)", () => {
    const fwhm = moffatFwhm(2, 3);
    expect((1 + (fwhm / 2 / 2) ** 2) ** -3).toBeCloseTo(0.5, 12);
    expect(moffatAlpha(fwhm, 3)).toBeCloseTo(2, 12);
    // For large β the profile becomes a Gaussian, FWHM = 2.3548 σ with σ² = α² / 2β
    expect(moffatFwhm(1, 1e5) / Math.sqrt(1 / 2e5)).toBeCloseTo(2 * Math.sqrt(2 * Math.log(2)), 3);
  });

  test("noise of the starlet scales, computed exactly from the filter taps", () => {
    const taps = [1, 4, 6, 4, 1].map((v) => v / 16);
    const widen = (h: number[], step: number) => {
      const out = new Array<number>(h.length + 4 * step).fill(0);
      h.forEach((v, i) => taps.forEach((t, k) => (out[i + k * step] += v * t)));
      return out;
    };
    const dot = (a: number[], b: number[]) => a.reduce((sum, v, i) => sum + v * b[i], 0);
    let h = [1];
    STARLET_NOISE.forEach((expected, j) => {
      const next = widen(h, 2 ** j);
      const pad = (next.length - h.length) / 2;
      const same = [...new Array<number>(pad).fill(0), ...h, ...new Array<number>(pad).fill(0)];
      // The 2-D response is a product: ‖h h − g g‖² = ‖h‖⁴ − 2 (h·g)² + ‖g‖⁴
      const sigma = Math.sqrt(dot(same, same) ** 2 - 2 * dot(same, next) ** 2 + dot(next, next) ** 2);
      expect(sigma).toBeCloseTo(expected, 9);
      h = next;
    });
    // Starck & Murtagh print 0.8908, 0.2007, 0.0855, 0.0412, 0.0204 (from memory)
    expect(STARLET_NOISE.slice(0, 5).map((v) => v.toFixed(4))).toEqual([
      "0.8908",
      "0.2007",
      "0.0855",
      "0.0412",
      "0.0204",
    ]);
  });

  test("simulated white noise has that noise at each scale, and whiteNoise finds its σ", () => {
    const random = createRandom(3);
    const plane = Float32Array.from({ length: 256 * 256 }, () => 5 + 0.7 * random.normal());
    expect(Math.abs(whiteNoise(plane, 256, 256, kernels) / 0.7 - 1)).toBeLessThan(0.02);
    scaleNoise(plane, 256, 256, 4, kernels).forEach((sigma, j) =>
      expect(Math.abs(sigma / 0.7 / STARLET_NOISE[j] - 1)).toBeLessThan(0.1),
    );
    expect(whiteNoise(new Float32Array(9).fill(2), 3, 3, kernels)).toBe(0);
  });
});

describe("background", () => {
  test("a slope comes back, stars or not", () => {
    const raster = paintStars(256, 192, randomStars(40, 256, 192, 2), { level: 0.02, noise: 0.0005 });
    const plane = raster.planes[0].map((v, i) => v + 1e-5 * (i % 256) - 5e-6 * Math.floor(i / 256));
    const mesh = measureBackground(plane, 256, 192, kernels, 32);
    const fit = fitBackgroundPlane(mesh);
    expect(fit.dx).toBeCloseTo(1e-5, 6);
    expect(fit.dy).toBeCloseTo(-5e-6, 6);
    expect(fit.level).toBeCloseTo(0.02, 3);
    const { clean } = kernels.bandPeaks(plane, 256, 192, mesh, () => 1);
    expect(plane[96 * 256 + 128] - clean[96 * 256 + 128]).toBeCloseTo(0.02 + 1e-5 * 128 - 5e-6 * 96, 3);
  });

  test("one pixel, and nothing but NaN", () => {
    expect(measureBackground(Float32Array.of(3), 1, 1, kernels).level[0]).toBe(3);
    expect(measureBackground(new Float32Array(4).fill(NaN), 2, 2, kernels).level[0]).toBe(0);
    expect(fitBackgroundPlane(measureBackground(Float32Array.of(3), 1, 1, kernels))).toEqual({
      level: 3,
      dx: 0,
      dy: 0,
    });
  });
});

describe("PSF and fits", () => {
  test("a sampled PSF sums to 1, is centred, and is elongated the way it is asked", () => {
    const psf = moffatPsf({ fwhmMajor: 5, fwhmMinor: 3, angle: 0, beta: 3 });
    expect(psf.values.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
    const r = (psf.size - 1) / 2;
    expect(Math.max(...psf.values)).toBe(psf.values[r * psf.size + r]);
    expect(psf.values[r * psf.size + r + 3]).toBeGreaterThan(psf.values[(r + 3) * psf.size + r]);
    expect(() => roundPsf(0, 3)).toThrow(RangeError);
  });

  test("a fit returns place, widths, direction and β of a noise-free elliptical star", () => {
    const size = 41;
    const [major, minor] = [moffatAlpha(4.2, 3.2), moffatAlpha(3, 3.2)];
    const [cos, sin] = [Math.cos(0.5), Math.sin(0.5)];
    const plane = Float32Array.from({ length: size * size }, (_, i) => {
      const dx = (i % size) - 20.3;
      const dy = Math.floor(i / size) - 19.6;
      const u = (dx * cos + dy * sin) / major;
      const v = (dy * cos - dx * sin) / minor;
      return 0.1 + 2 * (1 + u * u + v * v) ** -3.2;
    });
    const fit = fitMoffat(plane, size, size, 20, 20, 10, { peak: 1.8, background: 0.1, fwhm: 3.3 }, kernels);
    expect(fit?.x).toBeCloseTo(20.3, 4);
    expect(fit?.y).toBeCloseTo(19.6, 4);
    expect(fit?.fwhmMajor).toBeCloseTo(4.2, 3);
    expect(fit?.fwhmMinor).toBeCloseTo(3, 3);
    expect(fit?.angle).toBeCloseTo(0.5, 3);
    expect(fit?.beta).toBeCloseTo(3.2, 2);
    expect(fit?.background).toBeCloseTo(0.1, 4);
  });

  test("no fit at the border, on NaN, or on nothing", () => {
    const plane = new Float32Array(400).fill(1);
    const guess = { peak: 1, background: 0, fwhm: 3 };
    expect(fitMoffat(plane, 20, 20, 2, 10, 5, guess, kernels)).toBeNull();
    plane[10 * 20 + 10] = NaN;
    expect(fitMoffat(plane, 20, 20, 10, 10, 5, guess, kernels)).toBeNull();
    expect(fitMoffat(new Float32Array(400), 20, 20, 10, 10, 5, { ...guess, peak: 0 }, kernels)).toBeNull();
  });
});

describe("finding stars", () => {
  const truth = randomStars(60, 400, 400, 9);
  const raster = paintStars(400, 400, truth, { fwhm: 3.1, noise: 0.0003 });
  const found = findStars(meanPlane(raster), 400, 400, kernels);

  test("finds the painted stars and no others, brightest first, to 0.1 px", () => {
    const hits = truth.filter((star) => found.some((f) => Math.hypot(f.x - star.x, f.y - star.y) < 1));
    expect(hits.length).toBe(truth.length);
    expect(found.length).toBeLessThanOrEqual(truth.length + 1);
    const fluxes = found.map((star) => star.flux);
    expect([...fluxes].sort((a, b) => b - a)).toEqual(fluxes);
    const errors = found
      .filter(({ snr }) => snr > 20)
      .map((star) => Math.min(...truth.map((t) => Math.hypot(t.x - star.x, t.y - star.y))));
    expect(errors.length).toBeGreaterThan(30);
    expect(Math.sqrt(errors.reduce((sum, e) => sum + e * e, 0) / errors.length)).toBeLessThan(0.1);
  });

  test("their median FWHM is the painted one to 3 %, and they are round", () => {
    const shape = starShape(found);
    expect(shape.fwhmPx).toBeGreaterThan(3.1 * 0.97);
    expect(shape.fwhmPx).toBeLessThan(3.1 * 1.03);
    expect(shape.eccentricity).toBeLessThan(0.35);
    expect(starShape([])).toMatchObject({ fwhmPx: null, eccentricity: null, beta: null, elongationAngle: null });
  });

  test("relative fluxes are right to 3 % for bright stars", () => {
    const bright = truth.filter(({ flux }) => flux > 1).slice(0, 10);
    const ratios = bright.map(
      (star) => (found.find((f) => Math.hypot(f.x - star.x, f.y - star.y) < 1)?.flux ?? 0) / star.flux,
    );
    for (const ratio of ratios) expect(Math.abs(ratio / ratios[0] - 1)).toBeLessThan(0.03);
    expect(bright.length).toBeGreaterThan(4);
  });

  test("the plain kernels find the same stars", () => {
    const part = cropRaster(raster, { x: 0, y: 0, width: 160, height: 160 });
    const [a, b] = [kernels, plainKernels()].map((k) =>
      findStars(part.planes[0], 160, 160, k).map(({ x, y }) => [x.toFixed(2), y.toFixed(2)]),
    );
    expect(a).toEqual(b);
  });

  test("a faint star beside a bright one is found, a hot pixel and a filament are not", () => {
    const pair = [
      { x: 60, y: 60, flux: 3 },
      { x: 67, y: 60, flux: 0.12 },
      { x: 150, y: 40, flux: 1 },
      { x: 40, y: 150, flux: 1 },
      { x: 120, y: 120, flux: 0.6 },
    ];
    const picture = paintStars(200, 200, pair, { noise: 0.0003 });
    const plane = picture.planes[0];
    plane[100 * 200 + 30] += 0.05;
    for (let x = 40; x < 180; x++)
      for (const [dy, v] of [
        [-1, 0.004],
        [0, 0.006],
        [1, 0.004],
      ])
        plane[(175 + dy) * 200 + x] += v;
    const stars = findStars(plane, 200, 200, kernels);
    const at = (x: number, y: number, r = 1.5) => stars.some((star) => Math.hypot(star.x - x, star.y - y) < r);
    expect(at(60, 60)).toBe(true);
    expect(at(67, 60)).toBe(true);
    expect(at(30, 100)).toBe(false);
    expect(stars.filter((star) => Math.abs(star.y - 175) < 4 && star.x > 50 && star.x < 170)).toEqual([]);
  });

  test("saturated stars are marked and not fitted; an empty and a constant picture have none", () => {
    const plane = paintStars(120, 120, [{ x: 60, y: 60, flux: 40 }], {}).planes[0].map((v) => Math.min(1, v));
    const [star] = findStars(plane, 120, 120, kernels, { saturated: Uint8Array.from(plane, (v) => Number(v >= 0.95)) });
    expect(star.saturated).toBe(true);
    expect(star.fit).toBeNull();
    expect(findStars(new Float32Array(900).fill(0.2), 30, 30, kernels)).toEqual([]);
    expect(findStars(new Float32Array(900).fill(NaN), 30, 30, kernels)).toEqual([]);
  });
});

describe("measures", () => {
  test("a sub: stars, FWHM, background and noise by channel, saturation", () => {
    const raster = paintStars(300, 200, randomStars(30, 300, 200, 4), { channels: 3, noise: 0.0004, level: 0.011 });
    const { measures, stars } = measureSub(raster, kernels);
    expect(measures.stars).toBeGreaterThanOrEqual(29);
    expect(stars.length).toBe(measures.stars);
    expect(measures.fwhmPx).toBeGreaterThan(2.8);
    measures.background.forEach((level) => expect(Math.abs(level / 0.011 - 1)).toBeLessThan(0.005));
    measures.noise.forEach((sigma) => expect(Math.abs(sigma / 0.0004 - 1)).toBeLessThan(0.08));
    expect(measures.saturatedShare).toBe(0);
  });

  test("a region: SNR by its definition, noise from the halves, missing pixels left out", () => {
    const random = createRandom(8);
    const region = {
      width: 128,
      height: 128,
      channels: 1,
      planes: [Float32Array.from({ length: 16384 }, () => 0.05 + 0.001 * random.normal())],
    };
    const plain = measurePicture(region, kernels, { skyLevel: 0.04 });
    // 20 log10(0.01 / 0.001) = 20 dB
    expect(plain.snrDb).toBeCloseTo(20, 0);
    expect(plain.noiseFromHalves).toBeNull();
    const withHalves = measurePicture(region, kernels, { skyLevel: 0.04, noiseFromHalves: 0.0005 });
    expect(withHalves.noiseFromHalves).toBe(0.0005);
    expect(withHalves.snrDb).toBeCloseTo(26, 0);
    expect(measurePicture(region, kernels, { skyLevel: 0.06 }).snrDb).toBeNull();
    region.planes[0].fill(NaN, 0, 300);
    expect(measurePicture(region, kernels, { skyLevel: 0.04 }).background).toBeCloseTo(0.05, 3);
  });
});

test("hot pixels, more of them than stars, neither count as stars nor say what stars look like", () => {
  const [width, height] = [500, 400];
  const random = createRandom(61);
  const clean = paintStars(width, height, randomStars(60, width, height, 62)).planes[0];
  const hot = clean.slice();
  for (let k = 0; k < 240; k++) hot[Math.floor(random.uniform() * hot.length)] += 0.02 + 0.5 * random.uniform();
  const [without, among] = [clean, hot].map((plane) => findStars(plane, width, height, kernels));
  const isIn = (list: typeof without) => (star: (typeof without)[number]) =>
    list.some((other) => Math.hypot(other.x - star.x, other.y - star.y) < 1);
  expect(without.length).toBeGreaterThan(45);
  expect(without.filter(isIn(among)).length).toBeGreaterThan(0.9 * without.length);
  expect(among.filter((star) => !isIn(without)(star)).length).toBeLessThan(0.05 * without.length);
  expect(Math.abs(Number(starShape(among).fwhmPx) / Number(starShape(without).fwhmPx) - 1)).toBeLessThan(0.03);
});

test("a raster that is given away is measured as one that is kept, and only then changed", () => {
  const [width, height] = [300, 260];
  const { planes } = paintStars(width, height, randomStars(40, width, height, 64), {
    channels: 3,
    tint: [1, 0.7, 0.4],
  });
  const raster = () => ({ width, height, channels: 3, planes: planes.map((plane) => plane.slice()) });
  const [kept, given] = [raster(), raster()];
  expect(measureSub(given, kernels, { consume: true })).toEqual(measureSub(kept, kernels));
  expect(kept.planes).toEqual(planes);
  expect(given.planes.length).toBe(1);
});
