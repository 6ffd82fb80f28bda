import { meanAndDeviation, median } from "../raster";
import { IDENTITY } from "../register";
import { wasmKernels } from "../testing/fixtures";
import { createNight, exposeNoiseless, exposeSub } from "./index";
import { createNoiseField, octaves, ridges } from "./noiseField";

const kernels = wasmKernels();
const night = createNight({ subs: 12, seed: 31, width: 200, height: 160 });
const dark = {
  ...night.sky,
  stars: [],
  glow: { ...night.sky.glow, planes: night.sky.glow.planes.map((p) => new Float32Array(p.length)) },
};
const calm = { ...night.subs[0], skyToSub: IDENTITY, gradient: [0, 0] as [number, number], cosmicRays: 0, trail: null };

test("the sky slopes as its gradient says: 20 % from side to side", () => {
  const sloped = exposeNoiseless(dark, night.camera, { ...calm, skyE: [100, 100, 100], gradient: [0.2, 0] }, kernels);
  const column = (x: number) => median(Float32Array.from({ length: 160 }, (_, y) => sloped.planes[0][y * 200 + x]));
  expect(column(199) - column(0)).toBeCloseTo(20 * (199 / 200), 1);
});

test("a star's profile has the FWHM of the seeing, a little wider by the pixel", () => {
  const sky = { ...dark, stars: [{ x: 100, y: 80, flux: [1e6, 1e6, 1e6] as [number, number, number] }] };
  const seen = exposeNoiseless(sky, night.camera, { ...calm, skyE: [0, 0, 0], fwhmPx: 4 }, kernels).planes[0];
  const peak = seen[80 * 200 + 100];
  let r = 0;
  while (seen[80 * 200 + 100 + r] > peak / 2) r++;
  const [high, low] = [seen[80 * 200 + 100 + r - 1], seen[80 * 200 + 100 + r]];
  const half = r - 1 + (high - peak / 2) / (high - low);
  expect(2 * half).toBeGreaterThan(4);
  expect(2 * half).toBeLessThan(4.25);
});

test("hits are single-channel, bright and few; the trail lies in all channels of one sub", () => {
  const clean = exposeSub(dark, night.camera, calm, 1, kernels);
  const hit = exposeSub(dark, night.camera, { ...calm, cosmicRays: 25 }, 1, kernels);
  const changed = hit.planes.map((plane, c) => plane.filter((v, i) => v - clean.planes[c][i] > 100 / 65535).length);
  expect(changed.reduce((a, b) => a + b, 0)).toBeGreaterThan(20);
  expect(changed.reduce((a, b) => a + b, 0)).toBeLessThan(25 * 6);
  const trail = { x0: 0, y0: 80, x1: 199, y1: 80, peakE: 400 };
  const crossed = exposeSub(dark, night.camera, { ...calm, trail }, 1, kernels);
  for (const plane of crossed.planes) {
    const on = meanAndDeviation(plane.slice(80 * 200, 81 * 200)).mean;
    const off = meanAndDeviation(plane.slice(100 * 200, 101 * 200)).mean;
    expect(((on - off) * 65535 * night.camera.electronsPerAdu) / 400).toBeCloseTo(1, 1);
  }
});

test("samples are whole ADU, saturate at 65535, and never fall below 0", () => {
  const bright = { ...dark, stars: [{ x: 100, y: 80, flux: [1e8, 1e8, 1e8] as [number, number, number] }] };
  const [plane] = exposeSub(bright, night.camera, calm, 1, kernels).planes;
  expect(plane.reduce((most, v) => Math.max(most, v), 0)).toBe(1);
  expect(plane.every((v) => v >= 0 && Math.abs(v * 65535 - Math.round(v * 65535)) < 0.01)).toBe(true);
});

test("conditions of a night stay in their ranges, and differ from sub to sub", () => {
  for (const sub of night.subs) {
    expect(sub.transmission).toBeGreaterThan(0.6);
    expect(sub.transmission).toBeLessThanOrEqual(1);
    expect(sub.fwhmPx).toBeGreaterThanOrEqual(2.4);
  }
  expect(new Set(night.subs.map(({ fwhmPx }) => fwhmPx)).size).toBeGreaterThan(6);
  expect(night.subs[11].skyE[0]).toBeGreaterThan(night.subs[0].skyE[0]);
});

test("noise fields are smooth, repeatable, and bounded", () => {
  const field = createNoiseField(3);
  const again = createNoiseField(3);
  let most = 0;
  for (let k = 0; k < 2000; k++) {
    const [x, y] = [k * 0.173, k * 0.091];
    expect(field(x, y)).toBe(again(x, y));
    expect(Math.abs(field(x + 1e-4, y) - field(x, y))).toBeLessThan(1e-3);
    most = Math.max(most, Math.abs(field(x, y)));
  }
  expect(most).toBeGreaterThan(0.3);
  expect(most).toBeLessThan(1);
  expect(field(5, 9)).toBe(0); // on the lattice
  expect(octaves(field, 3)(1.3, 2.7)).not.toBe(field(1.3, 2.7));
  expect(ridges(field, 3)(1.3, 2.7)).toBeGreaterThanOrEqual(0);
});
