import { fc } from "../testing/properties";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { createRaster, cropRaster, frameOfRaster, meanAndDeviation, median, rasterOf, wholeRegion } from "../raster";
import { createRawNight, lightOf, rawFrame } from "../simulate";
import { createSensor, darkFactor, exposeRaw, lightOnSensor } from "../simulate/sensor";
import { mapPoint } from "../register";
import { withoutMasters } from "../testing/calibration";
import { fixture, wasmKernels, worstDifference } from "../testing/fixtures";
import type { Calibration } from "./apply";
import { binned, calibratedFrame, frameMeans, scaleOfCalibration } from "./apply";
import { cfaCell } from "./cfa";
import { defectsOfDark } from "./defects";
import { DEMOSAICS, demosaicOf } from "./demosaic/registry";
import { MASTER_SETTINGS, makeMaster, makeMasterFlat } from "./master";
import { calibrationSettings } from "./settings";

const kernels = wasmKernels();
const job = quietJob(kernels);

interface Fixture {
  width: number;
  height: number;
  bias: number[][];
  darks: number[][];
  flats: number[][];
  light: number[];
  masterBias: number[];
  masterDark: number[];
  masterFlat: number[];
  withDark: number[];
  scaledDark: number[];
  demosaic: { width: number; height: number; mosaic: number[]; bilinear: number[][]; linear5: number[][] };
}
const reference = fixture<Fixture>("calibration.json");
const one = (values: number[], { width, height } = reference) => rasterOf(width, height, [Float32Array.from(values)]);
const frames = (list: number[][]) => list.map((values) => frameOfRaster(one(values)));
const NONE = withoutMasters({ hotSigma: 0, demosaic: "none" }, { saturation: 0.98 });

describe("against numpy and astropy on the same frames (reference/make_calibration_fixtures.py)", () => {
  test("masters: κ-sigma means, and flats each over its own mean for each place of the cell", async () => {
    const bias = await makeMaster(frames(reference.bias), MASTER_SETTINGS, job);
    const dark = await makeMaster(frames(reference.darks), MASTER_SETTINGS, job);
    const flat = await makeMasterFlat(frames(reference.flats), frameOfRaster(bias), "RGGB", MASTER_SETTINGS, job);
    expect(worstDifference(bias.planes[0], reference.masterBias)).toBeLessThan(1e-4);
    expect(worstDifference(dark.planes[0], reference.masterDark)).toBeLessThan(1e-4);
    expect(worstDifference(flat.planes[0], reference.masterFlat)).toBeLessThan(2e-6);
    expect(dark.planes[0][4 * 16 + 5]).toBeLessThan(600); // the hit of 900 ADU is out
    for (const mean of frameMeans(flat, "RGGB")) expect(mean).toBeCloseTo(1, 6);
  });

  test("a light with dark and flat, and with a dark scaled to a third over its bias", async () => {
    const masters = {
      bias: frameOfRaster(one(reference.masterBias)),
      dark: frameOfRaster(one(reference.masterDark)),
      flat: frameOfRaster(one(reference.masterFlat)),
    };
    const means = frameMeans(one(reference.masterFlat), "RGGB");
    // The frames hold ADU: far above the level that counts as saturated, which is switched off by dividing all by 65535.
    const inUnits = (values: number[]) => frameOfRaster(one(values.map((v) => v / 65535)));
    const base: Calibration = {
      ...NONE,
      pattern: "RGGB",
      ...masters,
      bias: inUnits(reference.masterBias),
      dark: inUnits(reference.masterDark),
      flatMeans: means,
    };
    const plain = calibratedFrame(inUnits(reference.light), base, kernels);
    expect(
      worstDifference(
        (await plain.read(wholeRegion(plain))).planes[0].map((v) => v * 65535),
        reference.withDark,
      ),
    ).toBeLessThan(0.01);
    const scaled = calibratedFrame(
      inUnits(reference.light),
      {
        ...base,
        settings: { ...base.settings, scaleDark: true },
        darkScale: 1 / 3,
      },
      kernels,
    );
    expect(
      worstDifference(
        (await scaled.read(wholeRegion(scaled))).planes[0].map((v) => v * 65535),
        reference.scaledDark,
      ),
    ).toBeLessThan(0.01);
    const higher = calibratedFrame(
      inUnits(reference.light),
      {
        ...base,
        pedestal: 100 / 65535,
      },
      kernels,
    );
    expect((await higher.read(wholeRegion(higher))).planes[0][0] * 65535 - reference.withDark[0]).toBeCloseTo(100, 1);
  });

  test("bilinear as OpenCV, to its rounding; gradient-corrected linear as scipy with the published filters", () => {
    const { width, height, mosaic, bilinear, linear5 } = reference.demosaic;
    const run = (id: string) => demosaicOf(id).run(Float32Array.from(mosaic), width, height, cfaCell("RGGB"), kernels);
    const inside = (raster: Raster) => cropRaster(raster, { x: 1, y: 1, width: width - 2, height: height - 2 });
    const expected = inside(
      rasterOf(
        width,
        height,
        bilinear.map((plane) => Float32Array.from(plane)),
      ),
    );
    inside(run("bilinear")).planes.forEach((plane, c) =>
      expect(worstDifference(plane, expected.planes[c])).toBeLessThan(0.76),
    );
    run("linear5").planes.forEach((plane, c) => expect(worstDifference(plane, linear5[c])).toBeLessThan(1e-3));
  });
});

describe("on simulated raw frames", () => {
  const night = createRawNight({
    subs: 6,
    darks: 12,
    flats: 8,
    bias: 16,
    seed: 6,
    width: 300,
    height: 220,
    cfa: "GRBG",
  });
  const of = (type: string) => night.files.filter((file) => file.type === type);
  const read = (type: string) => of(type).map((file) => frameOfRaster(rawFrame(night, file, kernels)));
  let masters: { bias: Raster; dark: Raster; flat: Raster };

  beforeAll(async () => {
    const bias = await makeMaster(read("bias"), MASTER_SETTINGS, job);
    const dark = await makeMaster(read("dark"), MASTER_SETTINGS, job);
    const flat = await makeMasterFlat(read("flat"), frameOfRaster(bias), "GRBG", MASTER_SETTINGS, job);
    masters = { bias, dark, flat };
  });
  const calibration = (part: Partial<Calibration["settings"]>): Calibration => ({
    ...NONE,
    settings: calibrationSettings.parse({ demosaic: "none", hotSigma: 0, ...part }),
    pattern: "GRBG",
    bias: frameOfRaster(masters.bias),
    dark: frameOfRaster(masters.dark),
    darkDefects: defectsOfDark(masters.dark.planes[0], 300, 220, "GRBG", part.hotSigma ?? 5),
    flat: frameOfRaster(masters.flat),
    flatMeans: frameMeans(masters.flat, "GRBG"),
  });

  test("the master flat is the sensor's response, the master dark its dark current over the bias", () => {
    const { sensor, camera } = night;
    const response = rasterOf(300, 220, [sensor.response]);
    const truth = frameMeans(response, "GRBG");
    const errors = sensor.response.map((v, i) => {
      const place = (Math.floor(i / 300) % 2) * 2 + ((i % 300) % 2);
      return masters.flat.planes[0][i] / (v / truth[place]) - 1;
    });
    // Photon noise of 8 flats of 24 000 e⁻ at 55 … 100 % response and 70 … 100 % colour.
    expect(meanAndDeviation(errors).sigma).toBeLessThan(1.25 / Math.sqrt(8 * 24_000 * 0.7 * 0.75));
    const dark = sensor.darkEPerS.map((v) => (v * camera.exposureS) / camera.electronsPerAdu);
    const excess = masters.dark.planes[0].map((v, i) => v * 65535 - sensor.biasAdu[i] - dark[i]);
    expect(Math.abs(median(excess))).toBeLessThan(0.35); // read noise of 4 ADU over √12 frames, and rounding
  });

  test("a calibrated light is the light before the sensor, within its own noise and without vignetting", async () => {
    const { camera, sensor } = night;
    const file = of("light")[0];
    const frame = calibratedFrame(frameOfRaster(rawFrame(night, file, kernels)), calibration({}), kernels);
    const { planes } = await frame.read(wholeRegion(frame));
    const electrons = lightOf(night, file, kernels) as Float32Array;
    const truth = frameMeans(rasterOf(300, 220, [sensor.response]), "GRBG");
    const pulls: number[] = [];
    const corner: number[] = [];
    electrons.forEach((e, i) => {
      const x = i % 300;
      const y = Math.floor(i / 300);
      const relative = sensor.response[i] / truth[(y % 2) * 2 + (x % 2)];
      const expected = e / camera.electronsPerAdu / 65535 / relative;
      const dark = sensor.darkEPerS[i] * camera.exposureS;
      const sigma =
        Math.sqrt(e + dark + camera.readNoiseE ** 2 + (dark + camera.readNoiseE ** 2) / 12) /
        camera.electronsPerAdu /
        65535 /
        relative;
      if (e > 3000 || dark > 200) return;
      pulls.push((planes[0][i] - expected) / sigma);
      if (x < 40 && y < 40) corner.push((planes[0][i] - expected) / sigma);
    });
    const all = meanAndDeviation(pulls);
    expect(Math.abs(all.mean)).toBeLessThan(0.06);
    expect(all.sigma).toBeGreaterThan(0.97);
    expect(all.sigma).toBeLessThan(1.06);
    expect(Math.abs(meanAndDeviation(corner).mean)).toBeLessThan(0.15);
  });

  test("hot pixels: nearly all that stand out are found in the dark, and in a light alone; stars stay", async () => {
    const { camera, sensor } = night;
    const sigmaE = Math.hypot(camera.readNoiseE, Math.sqrt(5)) / Math.sqrt(12);
    const clear = [...sensor.darkEPerS.keys()].filter(
      (i) =>
        (sensor.darkEPerS[i] * camera.exposureS > 100 + 40 * sigmaE && i % 300 < 250) ||
        sensor.darkEPerS[i] * camera.exposureS > 1500,
    );
    const found = defectsOfDark(masters.dark.planes[0], 300, 220, "GRBG", 8);
    const set = new Set(found.hot);
    expect(clear.length).toBeGreaterThan(40);
    expect(clear.filter((i) => set.has(i)).length).toBeGreaterThan(0.97 * clear.length);
    expect(found.hot.length).toBeLessThan(2.5 * night.sensor.hotPixels);
    expect(found.cold.length).toBeLessThan(30);

    // From the light alone, without dark: hot pixels of more than 1000 e⁻ go, star peaks do not.
    const light = rawFrame(night, of("light")[0], kernels);
    const alone = calibratedFrame(
      frameOfRaster(light),
      {
        ...calibration({ hotSigma: 6, hotFrom: "light" }),
        dark: null,
        darkDefects: null,
      },
      kernels,
    );
    const repaired = (await alone.read(wholeRegion(alone))).planes[0];
    const plain = calibratedFrame(
      frameOfRaster(light),
      {
        ...calibration({ hotSigma: 0 }),
        dark: null,
        darkDefects: null,
      },
      kernels,
    );
    const before = (await plain.read(wholeRegion(plain))).planes[0];
    const strong = [...sensor.darkEPerS.keys()].filter((i) => {
      const x = i % 300;
      const y = Math.floor(i / 300);
      return sensor.darkEPerS[i] * camera.exposureS > 1000 && x > 4 && y > 4 && x < 295 && y < 215;
    });
    const gone = strong.filter(
      (i) =>
        repaired[i] < before[i] - 0.6 * ((sensor.darkEPerS[i] * camera.exposureS) / camera.electronsPerAdu / 65535),
    );
    expect(strong.length).toBeGreaterThan(10);
    expect(gone.length).toBeGreaterThanOrEqual(0.9 * strong.length);
    const { skyToSub } = night.subs[0];
    const peaks = night.sky.stars
      .filter(({ flux }) => flux[1] > 8000)
      .map(({ x, y }) => mapPoint(skyToSub, x, y).map(Math.round))
      .filter(([x, y]) => x > 6 && y > 6 && x < 293 && y < 213);
    const lost = peaks.filter(
      ([x, y]) => repaired[y * 300 + x] < 0.9 * before[y * 300 + x] && sensor.darkEPerS[y * 300 + x] < 1,
    );
    expect(peaks.length).toBeGreaterThan(15);
    expect(lost).toEqual([]);
  });

  test("a region is the same pixels as of the whole, for every way to demosaic, repair and bin", async () => {
    const light = frameOfRaster(rawFrame(night, of("light")[1], kernels));
    for (const demosaic of ["none", ...DEMOSAICS.map(({ id }) => id)])
      for (const bin of [1, 2, 3] as const) {
        const frame = calibratedFrame(light, calibration({ demosaic, bin, hotSigma: 5, hotFrom: "both" }), kernels);
        const whole = await frame.read(wholeRegion(frame));
        const region = { x: 7, y: 5, width: Math.min(41, frame.width - 9), height: Math.min(30, frame.height - 6) };
        const part = await frame.read(region);
        const cut = cropRaster(whole, region);
        part.planes.forEach((plane, c) => expect(worstDifference(plane, cut.planes[c])).toBeLessThan(1e-6));
        const { pattern, settings } = { pattern: "GRBG" as const, settings: calibration({ demosaic, bin }).settings };
        expect(frame.width).toBe(Math.floor(300 / scaleOfCalibration(settings, pattern)));
      }
  });

  test("saturated pixels stay saturated where the flat is above 1; masters of another size are refused", async () => {
    const light = createRaster(300, 220, 1);
    light.planes[0].fill(1);
    const frame = calibratedFrame(frameOfRaster(light), calibration({}), kernels);
    const { planes } = await frame.read(wholeRegion(frame));
    expect(Math.min(...planes[0])).toBeGreaterThanOrEqual(1);
    expect(() => calibratedFrame(frameOfRaster(createRaster(10, 10, 1)), calibration({}), kernels)).toThrow(
      "must be 10×10×1",
    );
  });
});

test("software binning: sums and means, left-over rows cut off, noise falls as 1/n", () => {
  const ramp = rasterOf(5, 4, [Float32Array.from({ length: 20 }, (_, i) => i)]);
  expect([...binned(ramp, 2, "sum").planes[0]]).toEqual([12, 20, 52, 60]);
  expect([...binned(ramp, 2, "mean").planes[0]]).toEqual([3, 5, 13, 15]);
  const random = createRandom(3);
  const noise = rasterOf(300, 300, [Float32Array.from({ length: 90_000 }, () => random.normal())]);
  expect(meanAndDeviation(binned(noise, 3, "mean").planes[0]).sigma).toBeCloseTo(1 / 3, 2);
});

test("dark current doubles every 6 °C, and with it what a dark takes off", () => {
  expect(darkFactor(-4, -10)).toBe(2);
  expect(darkFactor(-10, -10)).toBe(1);
  expect(darkFactor(2, -10)).toBe(4);
});

/**
 * The CCD equation, SNR = S t / √(S t + n (B t + D t + R²)), against the scatter of an aperture over many simulated and calibrated
 * exposures. Source: Merline & Howell 1995, Exp. Astron. 6, 163; Howell, Handbook of CCD Astronomy, 4.4.
 */
test.each([
  ["faint star, sky limited", 900, 300, 0.02],
  ["bright star, photon limited", 60_000, 100, 0.02],
  ["warm sensor, dark limited", 1500, 20, 4],
])("CCD equation: %s", (_, starE, skyE, darkE) => {
  const side = 24;
  const exposureS = 100;
  const sensor = createSensor(side, side, null, 1);
  sensor.darkEPerS.fill(darkE);
  sensor.response.fill(1);
  const camera = { electronsPerAdu: 0.8, readNoiseE: 3.2 };
  const light = createRaster(side, side, 1);
  light.planes[0].fill(skyE);
  const inAperture = (i: number) => Math.hypot((i % side) - 11.5, Math.floor(i / side) - 11.5) < 6;
  let captured = 0;
  for (let i = 0; i < side * side; i++) {
    const r2 = ((i % side) - 11.5) ** 2 + (Math.floor(i / side) - 11.5) ** 2;
    const star = (starE / (2 * Math.PI * 1.4 ** 2)) * Math.exp(-r2 / (2 * 1.4 ** 2));
    light.planes[0][i] += star;
    if (inAperture(i)) captured += star;
  }
  const onSensor = lightOnSensor(sensor, light);
  const pixels = Array.from({ length: side * side }, (_v, i) => i).filter(inAperture);
  const darkAdu = (darkE * exposureS) / camera.electronsPerAdu;
  const sums = Array.from({ length: 1500 }, (_v, k) => {
    const frame = exposeRaw(sensor, camera, onSensor, {
      exposureS,
      temperatureC: sensor.referenceC,
      seed: 77 + k * 13,
    });
    return pixels.reduce(
      (sum, i) => sum + (frame.planes[0][i] * 65535 - sensor.biasAdu[i] - darkAdu) * camera.electronsPerAdu - skyE,
      0,
    );
  });
  const n = pixels.length;
  // Rounding to whole ADU adds g²/12 to the read noise.
  const read2 = camera.readNoiseE ** 2 + camera.electronsPerAdu ** 2 / 12;
  const snr = captured / Math.sqrt(captured + n * (skyE + darkE * exposureS + read2));
  const { mean, sigma } = meanAndDeviation(sums);
  expect(Math.abs(mean - captured)).toBeLessThan((4 * sigma) / Math.sqrt(1500));
  expect(mean / sigma / snr).toBeGreaterThan(0.94); // the scatter of 1500 values is known to 2 %
  expect(mean / sigma / snr).toBeLessThan(1.06);
});

test("defects: a constant plane has none; indices rise; both kinds are distinguished", () => {
  expect(defectsOfDark(new Float32Array(64 * 64).fill(0.1), 64, 64, null, 5).hot.length).toBe(0);
  /** Whether most pixels of the same colour around place `i` are sound, as the definition (more than kσ from their median) asks. */
  const isAmongSound = (i: number, places: readonly number[]): boolean => {
    const around = [-2, 0, 2].flatMap((dy) => [-2, 0, 2].map((dx) => [(i % 64) + dx, Math.floor(i / 64) + dy]));
    const inside = around.filter(([x, y]) => x >= 0 && y >= 0 && x < 64 && y < 64 && y * 64 + x !== i);
    return 2 * inside.filter(([x, y]) => places.includes(y * 64 + x)).length < inside.length;
  };
  fc.assert(
    fc.property(fc.uniqueArray(fc.integer({ min: 0, max: 64 * 64 - 1 }), { minLength: 1, maxLength: 12 }), (places) => {
      fc.pre(places.every((i) => isAmongSound(i, places)));
      const random = createRandom(9);
      const plane = Float32Array.from({ length: 64 * 64 }, () => 0.01 + 0.0002 * random.normal());
      places.forEach((i, k) => (plane[i] += k % 2 === 0 ? 0.01 : -0.008));
      const { hot, cold } = defectsOfDark(plane, 64, 64, "RGGB", 7);
      expect([...hot]).toEqual(places.filter((_, k) => k % 2 === 0).sort((a, b) => a - b));
      expect([...cold]).toEqual(places.filter((_, k) => k % 2 === 1).sort((a, b) => a - b));
    }),
    // Found by chance: two, then three hot pixels of one colour beside each other at the corner.
    { numRuns: 20, examples: [[[2, 3, 0]], [[4, 5, 0, 3, 2]]] },
  );
});

test("defects: a hot row is found as a hot column is", () => {
  const random = createRandom(10);
  const noise = Float32Array.from({ length: 64 * 64 }, () => 0.01 + 0.0002 * random.normal());
  const row = noise.map((v, i) => v + (Math.floor(i / 64) === 21 ? 0.01 : 0));
  const column = noise.map((v, i) => v + (i % 64 === 21 ? 0.01 : 0));
  for (const pattern of [null, "RGGB"] as const) {
    expect([...defectsOfDark(row, 64, 64, pattern, 9).hot]).toEqual(Array.from({ length: 64 }, (_, k) => 21 * 64 + k));
    expect([...defectsOfDark(column, 64, 64, pattern, 9).hot]).toEqual(
      Array.from({ length: 64 }, (_, k) => 64 * k + 21),
    );
  }
});
