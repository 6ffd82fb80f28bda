import { planNight } from "../simulate";
import { createNight } from "../simulate";
import { exposeSub, SIMULATED_CAMERA } from "../simulate/camera";
import { createVideo, videoFrame } from "../simulate/video";
import { createRandom } from "../numeric/random";
import { createRaster, frameOfRaster, rasterOf } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { patchDifference, patchLevels } from "./patches";
import { measureSub, skyGradient } from "./subMeasures";
import { findTrails } from "./trails";
import { measureVideoFrame, skyOfVideoFrame } from "./videoMeasures";

const kernels = wasmKernels();

describe("against the simulator's truth", () => {
  const size = { width: 700, height: 480 };
  const night = createNight({ subs: 8, seed: 31, ...size });
  const measured = night.subs.map((conditions) => {
    const raster = exposeSub(night.sky, night.camera, conditions, 31, kernels);
    return { conditions, raster, ...measureSub(raster, kernels) };
  });
  const adu = (electrons: number) => electrons / night.camera.electronsPerAdu / 65535;

  test("FWHM within 3 %", () => {
    for (const { conditions, measures } of measured) {
      // A pixel averages over its own area: a box of 1 px adds 1/12 px² of variance, 8 ln 2 / 12 to FWHM² (derivation).
      const truth = Math.sqrt(conditions.fwhmPx ** 2 + (8 * Math.LN2) / 12 / 2);
      expect(Math.abs((measures.fwhmPx ?? 0) / truth - 1)).toBeLessThan(0.03);
    }
  });

  test("the plane alone, under an empty sky: background within 0.5 %, gradient within 5 %, by the model and by patches", async () => {
    const { glow } = night.sky;
    const sky = { ...night.sky, glow: createRaster(glow.width, glow.height, 3) };
    for (const [gx, gy] of [
      [0.1, -0.06],
      [0.3, 0.2],
    ]) {
      const conditions = { ...planNight(sky, 1, 5)[0], gradient: [gx, gy] as [number, number], trail: null };
      const raster = exposeSub(sky, SIMULATED_CAMERA, conditions, 5, kernels);
      const { measures } = measureSub(raster, kernels);
      conditions.skyE.forEach((level, c) => {
        const truth = adu(level) + SIMULATED_CAMERA.pedestalAdu / 65535;
        const { level: own, dx, dy } = measures.gradient[c];
        expect(Math.abs((own + (dx * 699) / 2 + (dy * 479) / 2) / truth - 1)).toBeLessThan(0.005);
        expect(Math.abs(measures.background[c] / truth - 1)).toBeLessThan(0.005);
      });
      const mean = conditions.skyE.reduce((a, b) => a + b, 0) / 3;
      const { span, angle } = skyGradient(measures, 700, 480);
      expect(Math.abs(span / (adu(mean) * (Math.abs(gx) + Math.abs(gy))) - 1)).toBeLessThan(0.05);
      expect(Math.abs(angle - Math.atan2(gy / 480, gx / 700))).toBeLessThan(0.05);
      const patches = [
        { x: 70, y: gy < 0 ? 432 : 48, side: 80 },
        { x: 630, y: gy < 0 ? 48 : 432, side: 80 },
      ];
      const levels = await patchLevels(frameOfRaster(raster), patches);
      expect(
        Math.abs((patchDifference(levels) ?? 0) / (adu(mean) * 0.8 * (Math.abs(gx) + Math.abs(gy))) - 1),
      ).toBeLessThan(0.05);
    }
  });

  test("the trail is found where it lies, in its sub and in no other", () => {
    for (const { conditions, measures } of measured) {
      if (!conditions.trail) {
        expect(measures.trail).toBeNull();
        continue;
      }
      const { x0, y0, x1, y1 } = conditions.trail;
      const { angle, offsetPx } = measures.trail ?? { angle: NaN, offsetPx: NaN };
      for (const t of [0.2, 0.5, 0.8]) {
        const [x, y] = [x0 + t * (x1 - x0), y0 + t * (y1 - y0)];
        expect(Math.abs(x * Math.cos(angle) + y * Math.sin(angle) - offsetPx)).toBeLessThan(3);
      }
    }
    expect(measured.filter(({ conditions }) => conditions.trail).length).toBe(1);
  });

  test("elongated stars show their direction; round ones do not agree in any", () => {
    const random = createRandom(8);
    const draw = (stretch: number, angle: number) => {
      const plane = new Float32Array(400 * 400).map(() => 0.01 + 0.0003 * random.normal());
      for (let k = 0; k < 60; k++) {
        const [cx, cy] = [20 + 360 * random.uniform(), 20 + 360 * random.uniform()];
        for (let y = Math.ceil(cy - 14); y < cy + 14; y++)
          for (let x = Math.ceil(cx - 14); x < cx + 14; x++) {
            const u = (x - cx) * Math.cos(angle) + (y - cy) * Math.sin(angle);
            const v = (y - cy) * Math.cos(angle) - (x - cx) * Math.sin(angle);
            plane[y * 400 + x] += 0.1 * (1 + (u / stretch) ** 2 / 4 + (v * v) / 4) ** -3.5;
          }
      }
      return measureSub(rasterOf(400, 400, [plane]), kernels).measures;
    };
    for (const angle of [0.4, -1.1]) {
      const measures = draw(1.35, angle);
      expect(Math.abs(Math.sin((measures.elongationAngle ?? 9) - angle))).toBeLessThan(0.06);
      expect(measures.elongationAgreement).toBeGreaterThan(0.9);
      expect(measures.eccentricity).toBeCloseTo(Math.sqrt(1 - 1 / 1.35 ** 2), 1);
    }
    expect(draw(1, 0).elongationAgreement).toBeLessThan(0.5);
  });
});

test("patches: outside the frame NaN, fewer than two known give no gradient", async () => {
  const frame = frameOfRaster(rasterOf(10, 10, [new Float32Array(100).fill(0.3)]));
  expect(await patchLevels(frame, [{ x: 50, y: 50, side: 4 }])).toEqual([NaN]);
  expect(patchDifference([0.3, NaN])).toBeNull();
  expect(patchDifference([0.3, 0.5, NaN, 0.1])).toBeCloseTo(0.4, 12);
});

test("no trail in noise, in a single bright column, or in a tiny picture", () => {
  const random = createRandom(1);
  const plane = Float32Array.from({ length: 300 * 200 }, () => random.normal());
  expect(findTrails(plane, 300, 200, [], 3, kernels)).toEqual([]);
  expect(findTrails(new Float32Array(300 * 200), 300, 200, [], 3, kernels)).toEqual([]);
  expect(findTrails(new Float32Array(9), 3, 3, [], 3, kernels)).toEqual([]);
  for (let x = 0; x < 300; x++) for (let d = 0; d < 3; d++) plane[(20 + Math.round(x * 0.5) + d) * 300 + x] += 3;
  const [found] = findTrails(plane, 300, 200, [], 3, kernels);
  // The line y = 21 + x/2 has its normal at atan2(−1, ½) + π.
  expect(found?.angle).toBeCloseTo(Math.atan2(1, -0.5), 1);
});

describe("video frames of the simulated planet", () => {
  const video = createVideo({ frames: 60, seed: 4, width: 220, height: 200 });
  const measured = video.conditions.map((conditions) => ({
    conditions,
    measures: measureVideoFrame(videoFrame(video, conditions.index, kernels), kernels),
  }));

  test("sharpness ranks frames as their true blur does: Spearman ≥ 0.95, and at scales of 2 and 4 px each", () => {
    const blur = measured.map(({ conditions }) => -conditions.fwhmPx);
    expect(
      spearman(
        measured.map(({ measures }) => measures.quality),
        blur,
      ),
    ).toBeGreaterThan(0.95);
    expect(
      spearman(
        measured.map(({ measures }) => measures.sharpness[1]),
        blur,
      ),
    ).toBeGreaterThan(0.95);
    expect(
      spearman(
        measured.map(({ measures }) => measures.sharpness[2]),
        blur,
      ),
    ).toBeGreaterThan(0.95);
  });

  test("brightness follows transparency, the centroid follows the drift within 0.3 px", () => {
    const ratio = measured.map(({ conditions, measures }) => measures.brightness / conditions.brightness);
    const mean = ratio.reduce((a, b) => a + b, 0) / ratio.length;
    for (const value of ratio) expect(Math.abs(value / mean - 1)).toBeLessThan(0.02);
    const off = measured.map(({ conditions, measures }) => [
      (measures.x ?? 0) - conditions.x,
      (measures.y ?? 0) - conditions.y,
    ]);
    const typical = [0, 1].map((axis) => off.reduce((sum, pair) => sum + pair[axis], 0) / off.length);
    for (const [x, y] of off) expect(Math.hypot(x - typical[0], y - typical[1])).toBeLessThan(0.3);
  });

  test("the sky is that of the border, whatever share of the frame the disc fills", () => {
    for (const [width, height] of [
      [80, 72],
      [220, 200],
    ]) {
      const small = createVideo({ frames: 4, seed: 2, width, height });
      for (const { index } of small.conditions) {
        const [sky] = skyOfVideoFrame(videoFrame(small, index, kernels));
        expect(Math.abs(sky * 65535 - 600)).toBeLessThan(60); // the wings of the blur reach the border of the small one
      }
    }
  });

  test("an empty frame has no sharpness and no place", () => {
    const random = createRandom(2);
    const empty = rasterOf(64, 64, [Float32Array.from({ length: 4096 }, () => 0.01 + 0.001 * random.normal())]);
    expect(measureVideoFrame(empty, kernels)).toEqual({
      sharpness: [0, 0, 0, 0],
      quality: 0,
      brightness: 0,
      x: null,
      y: null,
    });
  });
});

/** Rank correlation. Source: Spearman 1904; ranks without ties here. */
function spearman(a: number[], b: number[]): number {
  const ranks = (values: number[]) => {
    const order = values.map((_, i) => i).sort((i, j) => values[i] - values[j]);
    const out = new Array<number>(values.length);
    order.forEach((i, rank) => (out[i] = rank));
    return out;
  };
  const [p, q] = [ranks(a), ranks(b)];
  const n = a.length;
  return 1 - (6 * p.reduce((sum, rank, i) => sum + (rank - q[i]) ** 2, 0)) / (n * (n * n - 1));
}

test("a surface that fills the field, drifting and lit from one side: Spearman with the true blur ≥ 0.95, no place", () => {
  const [width, height] = [240, 200];
  const random = createRandom(12);
  // Craters: rings of light and shadow of any size, under a slope of light.
  const craters = Array.from({ length: 160 }, () => ({
    x: 280 * random.uniform() - 20,
    y: 240 * random.uniform() - 20,
    r: 2 + 14 * random.uniform() ** 3,
    depth: 0.05 + 0.1 * random.uniform(),
  }));
  const surface = (dx: number, dy: number) =>
    Float32Array.from({ length: width * height }, (_, i) => {
      const [x, y] = [(i % width) + dx, Math.floor(i / width) + dy];
      let light = 0.25 + (0.25 * x) / width;
      for (const { x: cx, y: cy, r, depth } of craters) {
        const [u, v] = [(x - cx) / r, (y - cy) / r];
        if (Math.abs(u) < 1.5 && Math.abs(v) < 1.5) light -= depth * u * Math.exp(-2 * (u * u + v * v - 0.5) ** 2);
      }
      return light;
    });
  const frames = Array.from({ length: 30 }, () => {
    const sigma = 0.6 + 1.6 * random.uniform();
    const raw = surface(6 * random.uniform() - 3, 6 * random.uniform() - 3);
    const blurred = blur(raw, width, height, sigma);
    const plane = blurred.map((v) => v + 0.004 * random.normal());
    return { sigma, measures: measureVideoFrame(rasterOf(width, height, [plane]), kernels) };
  });
  for (const { measures } of frames) expect([measures.x, measures.y]).toEqual([null, null]);
  const quality = frames.map(({ measures }) => measures.quality);
  expect(Math.min(...quality)).toBeGreaterThan(0);
  expect(
    spearman(
      quality,
      frames.map(({ sigma }) => -sigma),
    ),
  ).toBeGreaterThan(0.95);
});

/** A Gaussian blur along both axes, edges repeated; plainly written. */
function blur(plane: Float32Array, width: number, height: number, sigma: number): Float32Array {
  const reach = Math.ceil(4 * sigma);
  const taps = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-((k - reach) ** 2) / (2 * sigma * sigma)));
  const total = taps.reduce((a, b) => a + b);
  const along = (from: Float32Array, dx: number, dy: number) =>
    from.map((_, i) => {
      let sum = 0;
      taps.forEach((tap, k) => {
        const x = Math.min(width - 1, Math.max(0, (i % width) + dx * (k - reach)));
        const y = Math.min(height - 1, Math.max(0, Math.floor(i / width) + dy * (k - reach)));
        sum += tap * from[y * width + x];
      });
      return sum / total;
    });
  return along(along(plane, 1, 0), 0, 1);
}
