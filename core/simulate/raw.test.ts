import { bytesOfArray, CFA_PATTERNS, joinBytes, openPicture, valueOf } from "../formats";
import { cfaCell } from "../calibrate/cfa";
import { meanAndDeviation, median, wholeRegion } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import { createRawNight, lightOf, rawFile, rawFrame, rawManifest } from "./rawNight";
import { createSensor, darkFactor, exposeRaw } from "./sensor";
import { SIMULATED_CAMERA } from "./camera";
import { createVideo, videoFile, videoFrame, videoSettings } from "./video";

/** The simulated camera is what calibration is judged by, so it is held against the physics that it claims. */
const kernels = wasmKernels();
const settings = { subs: 2, darks: 2, flats: 2, bias: 2, darkflats: 1, seed: 4, width: 240, height: 180 };
const night = createRawNight({ ...settings, cfa: "GRBG" });
const fileOf = (type: string, index = 0) => {
  const file = night.files.find((f) => f.type === type && f.index === index);
  if (!file) throw new Error(`no ${type}`);
  return file;
};
const adu = (type: string, index = 0) => rawFrame(night, fileOf(type, index), kernels).planes[0].map((v) => v * 65535);

test("a raw night has its frames of each kind, with the cards that distinguish them", async () => {
  const counts = Object.fromEntries(
    ["bias", "dark", "darkflat", "flat", "light"].map((kind) => [
      kind,
      night.files.filter(({ type }) => type === kind).length,
    ]),
  );
  expect(counts).toEqual({ bias: 2, dark: 2, darkflat: 1, flat: 2, light: 2 });
  for (const [type, exposureS] of [
    ["bias", 0],
    ["dark", 120],
    ["darkflat", 1.5],
    ["flat", 1.5],
    ["light", 120],
  ] as const) {
    const file = valueOf(await openPicture(bytesOfArray(type, rawFile(night, fileOf(type), kernels))));
    expect(file.metadata).toMatchObject({
      frameType: type,
      exposureS,
      cfa: "GRBG",
      gain: 84,
      offset: 30,
      temperatureC: -6,
    });
    const raster = await file.frame(0).read(wholeRegion(file));
    expect(raster.planes[0]).toEqual(rawFrame(night, fileOf(type), kernels).planes[0]);
  }
});

test("the same seed gives the same frame, another frame other noise", () => {
  const again = createRawNight({ ...settings, cfa: "GRBG" });
  expect(rawFrame(again, fileOf("dark"), kernels).planes[0]).toEqual(
    rawFrame(night, fileOf("dark"), kernels).planes[0],
  );
  expect(adu("dark", 0)).not.toEqual(adu("dark", 1));
});

test("samples are whole ADU; a bias is the offset with read noise alone", () => {
  const bias = adu("bias");
  for (const v of bias.subarray(0, 2000)) expect(Math.abs(v - Math.round(v))).toBeLessThan(1e-2);
  expect(Math.abs(median(bias) - median(night.sensor.biasAdu))).toBeLessThan(1);
  // Two frames differ by √2 read noise, and by rounding (1/12 ADU² each).
  const other = adu("bias", 1);
  const { sigma } = meanAndDeviation(bias.map((v, i) => v - other[i]));
  const read = SIMULATED_CAMERA.readNoiseE / SIMULATED_CAMERA.electronsPerAdu;
  expect(sigma).toBeCloseTo(Math.sqrt(2 * (read ** 2 + 1 / 12)), 1);
});

test("a dark holds its dark current: electrons per second times exposure, Poisson, twice as many for 6 °C more", () => {
  expect(darkFactor(-4, -10)).toBe(2);
  expect(darkFactor(-16, -10)).toBe(0.5);
  const { sensor, camera } = night;
  const expose = (temperatureC: number, exposureS: number, seed: number) =>
    exposeRaw(sensor, camera, null, { exposureS, temperatureC, seed }).planes[0].map((v) => v * 65535);
  const excess = (frame: Float32Array) => {
    const quiet = [...frame.keys()].filter((i) => sensor.darkEPerS[i] < 0.1); // no hot pixels, no glow
    const over = quiet.reduce((sum, i) => sum + frame[i] - sensor.biasAdu[i], 0) / quiet.length;
    return over * camera.electronsPerAdu;
  };
  const [cold, warm, longer] = [expose(-6, 600, 1), expose(0, 600, 2), expose(-6, 1200, 3)].map(excess);
  const truth = 600 * 0.04 * (Math.exp(0) as number);
  expect(cold / truth).toBeGreaterThan(0.95);
  expect(cold / truth).toBeLessThan(1.1); // the tail of the glow
  expect(warm / cold).toBeCloseTo(2, 1);
  expect(longer / cold).toBeCloseTo(2, 1);
});

test("hot pixels are as many as said, and lie where darks show them", () => {
  const { sensor } = night;
  expect(sensor.hotPixels).toBe(Math.round(240 * 180 * 0.0015));
  const dark = adu("dark");
  const hot = [...sensor.darkEPerS.keys()].filter((i) => sensor.darkEPerS[i] > 5);
  expect(hot.length).toBeGreaterThan(5);
  const around = median(dark);
  for (const i of hot)
    expect(dark[i] - around).toBeGreaterThan(0.7 * ((sensor.darkEPerS[i] * 120) / night.camera.electronsPerAdu));
});

test("flats show vignetting, dust and the colours of their filters, each pixel through its own", () => {
  const cell = cfaCell("GRBG");
  const { response, biasAdu } = night.sensor;
  const flat = adu("flat");
  const light = lightOf(night, fileOf("flat"), kernels) as Float32Array;
  const share = [0.8, 1, 0.7];
  const byColour = [0, 1, 2].map((c) => {
    const at = [...flat.keys()].filter((i) => cell[(Math.floor(i / 240) & 1) * 2 + (i & 1)] === c);
    const ratios = at.map((i) => ((flat[i] - biasAdu[i]) * night.camera.electronsPerAdu) / response[i]);
    return ratios.reduce((a, b) => a + b, 0) / ratios.length / share[c];
  });
  for (const level of byColour) expect(level / byColour[1]).toBeCloseTo(1, 2);
  for (const i of [0, 5000, 40_000]) expect(light[i] / response[i] / 24_000).toBeGreaterThan(0.69);
  const middle = response[90 * 240 + 120];
  expect(response[0] / middle).toBeLessThan(0.85); // the corner is darker
});

test("every pattern and a mono camera make frames; the manifest holds the truth of each light", () => {
  for (const cfa of [...CFA_PATTERNS, null]) {
    const small = createRawNight({ ...settings, width: 96, height: 80, cfa });
    expect(rawFrame(small, small.files[small.files.length - 1], kernels).channels).toBe(1);
    const { frames, hotPixels } = rawManifest(small);
    expect(hotPixels).toBe(small.sensor.hotPixels);
    const lights = frames.filter(({ type }) => type === "light");
    expect(lights).toEqual(small.subs.map((truth) => expect.objectContaining({ transmission: truth.transmission })));
  }
  expect(() => createRawNight({ ...settings, width: 10, cfa: null })).toThrow();
  expect(createSensor(64, 64, null, 1).response.every((v) => v > 0.2 && v < 1.2)).toBe(true);
});

describe("the video of Oru", () => {
  const video = createVideo({ frames: 12, seed: 3, width: 120, height: 100, cfa: "RGGB" });

  test("is a SER file whose frames are those of the simulator, 20 ms apart", async () => {
    const bytes = joinBytes([...videoFile(video, kernels)]);
    const file = valueOf(await openPicture(bytesOfArray("oru.ser", bytes)));
    expect([file.format, file.frames, file.width, file.height, file.metadata.cfa]).toEqual([
      "ser",
      12,
      120,
      100,
      "RGGB",
    ]);
    const raster = await file.frame(7).read(wholeRegion(file));
    expect(raster.planes[0]).toEqual(videoFrame(video, 7, kernels).planes[0]);
    expect((file.timeOf(7) ?? 0) - (file.timeOf(0) ?? 0)).toBe(140);
  });

  test("the disc has the radius, the place and the light that its conditions say", () => {
    const mono = createVideo({ frames: 3, seed: 3, width: 160, height: 140 });
    for (const { index, x, y, brightness } of mono.conditions) {
      const [plane] = videoFrame(mono, index, kernels).planes;
      let [light, sx, sy, lit] = [0, 0, 0, 0];
      const sky = 600 / 65535;
      plane.forEach((v, i) => {
        if (v - sky < (0.2 * 900 * 40 * brightness) / 65535) return;
        light += v - sky;
        sx += (v - sky) * (i % 160);
        sy += (v - sky) * Math.floor(i / 160);
        lit++;
      });
      expect(Math.abs(sx / light - x)).toBeLessThan(1.5); // the pole and the patches shift the centre of light
      expect(Math.abs(sy / light - y)).toBeLessThan(1.5);
      expect(lit / (Math.PI * 0.99 * mono.radiusPx ** 2)).toBeCloseTo(1, 1);
    }
    expect(() => videoSettings.parse({ frames: 0, seed: 1, width: 100, height: 100 })).toThrow();
  });
});
