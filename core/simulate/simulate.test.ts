import { bytesOfArray, metadataOfCards, openFits, valueOf } from "../formats";
import { meanAndDeviation, robustSpread, wholeRegion } from "../raster";
import { IDENTITY } from "../register";
import { wasmKernels } from "../testing/fixtures";
import { scatterStars } from "./sky";
import {
  createNight,
  createSky,
  exposeNoiseless,
  exposeSub,
  manifestOf,
  nightSettings,
  subFile,
  truthFile,
} from "./index";

const kernels = wasmKernels();
const night = createNight({ subs: 6, seed: 5, width: 256, height: 200 });

test("the same seed gives the same frame, another seed another", () => {
  const again = createNight({ subs: 6, seed: 5, width: 256, height: 200 });
  expect(Buffer.compare(subFile(night, 2, kernels), subFile(again, 2, kernels))).toBe(0);
  const other = createNight({ subs: 6, seed: 6, width: 256, height: 200 });
  expect(Buffer.compare(subFile(night, 2, kernels), subFile(other, 2, kernels))).not.toBe(0);
});

test("a sub is a 16-bit FITS file of three planes with ordinary cards", async () => {
  const frame = valueOf(await openFits(bytesOfArray("s.fits", subFile(night, 0, kernels))));
  expect([frame.width, frame.height, frame.channels, frame.bitpix]).toEqual([256, 200, 3, 16]);
  expect(metadataOfCards(frame.header.cards)).toMatchObject({
    object: "Weir Nebula",
    exposureS: 120,
    electronsPerAdu: 0.8,
    temperatureC: -6,
    binning: 1,
  });
});

test("noise of the sky follows the photon transfer curve: variance = (e⁻ + read noise²) / gain² in ADU (Howell)", () => {
  const flat = {
    ...night,
    sky: {
      ...night.sky,
      stars: [],
      glow: { ...night.sky.glow, planes: night.sky.glow.planes.map((p) => new Float32Array(p.length)) },
    },
  };
  const conditions = {
    ...night.subs[0],
    skyToSub: IDENTITY,
    gradient: [0, 0] as [number, number],
    cosmicRays: 0,
    trail: null,
  };
  const sub = exposeSub(flat.sky, night.camera, conditions, 1, kernels);
  sub.planes.forEach((plane, c) => {
    const { mean, sigma } = meanAndDeviation(plane.map((v) => v * 65535));
    const { electronsPerAdu: gain, readNoiseE, pedestalAdu } = night.camera;
    expect(Math.abs(mean - pedestalAdu - conditions.skyE[c] / gain)).toBeLessThan(0.6);
    expect(Math.abs(sigma / Math.sqrt((conditions.skyE[c] + readNoiseE ** 2) / gain ** 2 + 1 / 12) - 1)).toBeLessThan(
      0.02,
    );
  });
});

test("a star's light is conserved by the seeing, and lessened by the air", () => {
  const sky = {
    ...createSky(200, 200, 1),
    stars: [{ x: 100, y: 100, flux: [1e5, 2e5, 3e5] as [number, number, number] }],
  };
  sky.glow.planes.forEach((plane) => plane.fill(0));
  const seen = (fwhmPx: number, transmission: number) =>
    exposeNoiseless(
      sky,
      night.camera,
      { skyToSub: IDENTITY, fwhmPx, transmission, skyE: [0, 0, 0], gradient: [0, 0] },
      kernels,
    ).planes[1].reduce((a, b) => a + b, 0);
  expect(seen(2.5, 1) / 2e5).toBeCloseTo(1, 2);
  expect(seen(4, 1) / 2e5).toBeCloseTo(1, 2);
  expect(seen(3, 0.7) / seen(3, 1)).toBeCloseTo(0.7, 4);
});

test("the night has a flip, one defocused and one trailed sub; pairs have their separation", () => {
  expect(night.subs.filter(({ fwhmPx }) => fwhmPx > 5).length).toBe(1);
  expect(night.subs.filter(({ trail }) => trail !== null).length).toBe(1);
  expect(night.subs[5].skyToSub.matrix[0]).toBeLessThan(-0.99);
  for (const { first, second, separationPx } of night.sky.pairs) {
    const [a, b] = [night.sky.stars[first], night.sky.stars[second]];
    expect(Math.hypot(a.x - b.x, a.y - b.y)).toBeCloseTo(separationPx, 9);
  }
});

test("stars follow the brightness law: twice the flux, 2^−0.55 of the number", () => {
  const { stars } = scatterStars(3000, 3000, 3, () => 0);
  const above = (flux: number) => stars.filter((star) => star.flux[1] > flux).length;
  expect(above(2000) / above(1000)).toBeCloseTo(2 ** -0.55, 1);
  expect(above(8000) / above(1000)).toBeCloseTo(8 ** -0.55, 1);
});

test("the truth has no noise and no sky; the manifest is complete; settings are checked", async () => {
  const frame = valueOf(await openFits(bytesOfArray("t.fits", truthFile(night, kernels))));
  const truth = await frame.read(wholeRegion(frame));
  expect(Math.min(...truth.planes[0])).toBeGreaterThanOrEqual(0);
  expect(robustSpread(truth.planes[0]).centre).toBeLessThan(0.002);
  const manifest = manifestOf(night);
  expect(manifest.frames.map(({ file }) => file)).toEqual([
    "weir-001.fits",
    "weir-002.fits",
    "weir-003.fits",
    "weir-004.fits",
    "weir-005.fits",
    "weir-006.fits",
  ]);
  expect(nightSettings.safeParse({ subs: 0, seed: 1, width: 100, height: 100 }).success).toBe(false);
});
