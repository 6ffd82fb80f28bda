import { calibrationSettings, tolerances } from "@/core/calibrate";
import { NO_METADATA, writeFits } from "@/core/formats";
import { createRandom } from "@/core/numeric/random";
import { quietJob } from "@/core/job";
import type { Raster } from "@/core/raster";
import { createRaster, rasterBytes, wholeRegion } from "@/core/raster";
import { linear, mapPoint } from "@/core/register";
import type { SubRelation } from "@/core/stack";
import { wasmKernels } from "@/core/testing/fixtures";
import { byteCache } from "../cache";
import { FactValues } from "../facts";
import { calibrationKey, withCalibration } from "../calibration";
import { matchedFrame, planMasters } from "@/core/calibrate";
import type { CalibrationRef, FrameRef } from "../frames";
import { bytesOfBlob, createFrameStore } from "../frames";
import { flip, scaledRelation } from "./flip";
import { calibrateLight, defects, master } from "./masters";
import type { TaskContext } from "./task";
import { runTask } from "./task";

const job = quietJob(wasmKernels());
const context = (): TaskContext => ({
  job,
  frames: createFrameStore(
    (ref) =>
      ref.kind === "blob" ? Promise.resolve(bytesOfBlob(ref.name, ref.blob)) : Promise.reject(new Error("blobs only")),
    job.kernels,
  ),
  facts: new FactValues(),
  cache: byteCache<Raster>(2 ** 24, rasterBytes),
});
const refOf = (id: string, raster: Raster): FrameRef => ({
  id,
  name: `${id}.fits`,
  kind: "blob",
  blob: new Blob([
    writeFits(
      { width: raster.width, height: raster.height, channels: raster.channels, sample: "float32" },
      raster.planes,
    ) as BlobPart,
  ]),
});
/** A smooth picture, so that resampling and reducing change little: value(x, y) in px. */
const smooth = (width: number, height: number, value: (x: number, y: number) => number): Raster => {
  const raster = createRaster(width, height, 1);
  for (let y = 0, i = 0; y < height; y++) for (let x = 0; x < width; x++, i++) raster.planes[0][i] = value(x, y);
  return raster;
};
const wave = (x: number, y: number) => 0.2 + 0.05 * Math.sin(x / 19) * Math.cos(y / 23);
const relation: SubRelation = {
  toReference: linear([Math.cos(0.3), -Math.sin(0.3), 31, Math.sin(0.3), Math.cos(0.3), -12]),
  residualPx: 0.1,
  pairs: 20,
  scale: 1.25,
  offset: [{ level: 0.01, dx: 2e-5, dy: -1e-5 }],
};

describe("flipping", () => {
  const size = { width: 160, height: 120 };

  test("a frame as it came is its own pixels, and their box means where it is reduced", async () => {
    const frame = refOf("f", smooth(160, 120, wave));
    const region = { x: 40, y: 20, width: 60, height: 40 };
    const out = await runTask(flip, { frame, relation: null, size, region, reduce: 1 }, context());
    expect([out.width, out.height]).toEqual([60, 40]);
    expect(out.planes[0][0]).toBeCloseTo(wave(40, 20), 6);
    const small = await runTask(flip, { frame, relation: null, size, region, reduce: 4 }, context());
    expect([small.width, small.height]).toEqual([15, 10]);
    let sum = 0;
    for (let y = 20; y < 24; y++) for (let x = 40; x < 44; x++) sum += wave(x, y) / 16;
    expect(small.planes[0][0]).toBeCloseTo(sum, 6);
  });

  test("registered, a frame shows what its relation says at each place: turned, scaled, and with the reference's sky", async () => {
    // The frame is the reference seen through the inverse of the relation: own(p) = (reference(T p) − offset(T p)) / scale.
    const own = smooth(260, 220, (x, y) => {
      const [u, v] = mapPoint(relation.toReference, x, y);
      const { level, dx, dy } = relation.offset[0];
      return (wave(u, v) - level - dx * u - dy * v) / relation.scale;
    });
    const region = wholeRegion(size);
    const full = await runTask(flip, { frame: refOf("g", own), relation, size, region, reduce: 1 }, context());
    const middle = (raster: Raster, x: number, y: number) => raster.planes[0][y * raster.width + x];
    for (const [x, y] of [
      [60, 50],
      [100, 70],
      [80, 30],
    ])
      expect(middle(full, x, y)).toBeCloseTo(wave(x, y), 4);
    for (const reduce of [2, 4]) {
      const small = await runTask(flip, { frame: refOf("g", own), relation, size, region, reduce }, context());
      const h = (reduce - 1) / 2;
      for (const [x, y] of [
        [60, 40],
        [100, 60],
      ])
        expect(middle(small, x / reduce, y / reduce)).toBeCloseTo(wave(x + h, y + h), 3);
    }
  });

  test("a relation of reduced frames sends the middle of a block to where the whole one does", () => {
    for (const r of [2, 3, 8]) {
      const small = scaledRelation(relation, r);
      const h = (r - 1) / 2;
      for (const [x, y] of [
        [0, 0],
        [13, 4],
        [7, 29],
      ]) {
        const [u, v] = mapPoint(relation.toReference, r * x + h, r * y + h);
        const [su, sv] = mapPoint(small.toReference, x, y);
        expect(r * su + h).toBeCloseTo(u, 9);
        expect(r * sv + h).toBeCloseTo(v, 9);
        const at = ({ level, dx, dy }: SubRelation["offset"][0], px: number, py: number) => level + dx * px + dy * py;
        expect(at(small.offset[0], su, sv)).toBeCloseTo(at(relation.offset[0], u, v), 9);
      }
    }
  });
});

describe("calibration in a worker", () => {
  const flat = (value: number) => smooth(64, 48, () => value);
  const settings = calibrationSettings.parse({ hotSigma: 0, demosaic: "none" });
  const calibration = (part: Partial<CalibrationRef>): CalibrationRef => ({
    settings,
    bias: null,
    dark: null,
    flat: null,
    darkScale: 1,
    pattern: null,
    ...part,
  });

  test("a light less its dark over its flat, by hand: (0.5 − 0.1)/(0.8/0.8), and shown the same when flipped to", async () => {
    const through = withCalibration(
      refOf("l", flat(0.5)),
      calibration({ dark: refOf("d", flat(0.1)), flat: refOf("n", flat(0.8)) }),
    );
    const bytes = await runTask(calibrateLight, { frame: through }, context());
    const out = await context().frames.open({ id: "o", name: "o", kind: "blob", blob: new Blob([bytes as BlobPart]) });
    const raster = await out.read(wholeRegion(out));
    expect(raster.planes[0].every((v) => Math.abs(v - 0.4) < 1e-6)).toBe(true);
    const shown = await runTask(
      flip,
      { frame: through, relation: null, size: out, region: { x: 0, y: 0, width: 10, height: 10 }, reduce: 1 },
      context(),
    );
    expect(shown.planes[0][0]).toBeCloseTo(0.4, 6);
  });

  test("masters of another size are refused with both sizes in words", async () => {
    const through = withCalibration(
      refOf("l", flat(0.5)),
      calibration({
        dark: refOf(
          "s",
          smooth(32, 48, () => 0.1),
        ),
      }),
    );
    await expect(runTask(calibrateLight, { frame: through }, context())).rejects.toThrow(
      /32.*48.*64.*48|64.*48.*32.*48/s,
    );
  });

  test("a master of three leaves the outlier of one out; hot pixels of a dark are listed", async () => {
    const noisy = (seed: number, hit: boolean) => {
      const random = createRandom(seed);
      const raster = smooth(64, 48, () => 0.01 + 0.0002 * random.normal());
      raster.planes[0][20 * 64 + 30] = 0.2; // hot in every frame
      if (hit) raster.planes[0][10 * 64 + 10] = 0.9; // a cosmic ray in one
      return raster;
    };
    const frames = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10].map((seed) => refOf(`d${seed}`, noisy(seed, seed === 2)));
    const made = await runTask(
      master,
      {
        kind: "dark",
        frames,
        offset: null,
        pattern: null,
        settings: { by: "mean", lowSigma: 3, highSigma: 2.5 },
        cards: [],
      },
      context(),
    );
    const dark: FrameRef = { id: "m", name: "m", kind: "blob", blob: new Blob([made.file as BlobPart]) };
    const source = await context().frames.open(dark);
    const { planes } = await source.read(wholeRegion(source));
    // A float master is in ADU of 16 bits, or a share of full scale; either way the hit is gone and the hot pixel stays.
    expect(planes[0][10 * 64 + 10] / planes[0][0]).toBeLessThan(1.1);
    expect(planes[0][20 * 64 + 30] / planes[0][0]).toBeGreaterThan(10);
    const found = await runTask(defects, { dark, pattern: null, kSigma: 5 }, context());
    expect([...found.hot]).toContain(20 * 64 + 30);
    expect(found.hot.length).toBeLessThan(5);
  });

  test("keys distinguish calibrations by everything that changes pixels", () => {
    const key = (part: Partial<CalibrationRef>) => calibrationKey(calibration(part));
    const all = [
      key({}),
      key({ dark: refOf("d", flat(0)) }),
      key({ flat: refOf("d", flat(0)) }),
      key({ bias: refOf("d", flat(0)) }),
      key({ darkScale: 2 }),
      key({ pattern: "RGGB" }),
      key({ settings: { ...settings, pedestalAdu: 100 } }),
    ];
    expect(new Set(all).size).toBe(all.length);
    expect(key({ dark: refOf("d", flat(0)) })).toBe(key({ dark: { ...refOf("d", flat(1)), name: "another name" } }));
  });

  test("the plan of masters: scaled darks need a bias, unscaled ones do not; what is switched off is not used", () => {
    const size = { width: 64, height: 48 };
    const frame = (id: string, type: "light" | "dark" | "bias" | "flat", exposureS: number) =>
      matchedFrame(id, id, type, { ...size, channels: 1 }, { ...NO_METADATA, exposureS }, null);
    const masters = [frame("b", "bias", 0), frame("d", "dark", 60), frame("f", "flat", 1)];
    const light = frame("l", "light", 120);
    const use = { bias: true, dark: true, flat: true };
    const plan = (scaleDark: boolean, part: Partial<typeof use> = {}) =>
      planMasters(light, masters, { ...settings, scaleDark }, tolerances.parse({}), { ...use, ...part });
    expect(plan(true)).toMatchObject({ bias: "b", dark: "d", flat: "f", darkScale: 2 });
    expect(plan(false)).toMatchObject({ bias: null, dark: "d" });
    expect(
      plan(false)
        .mismatches.map(({ text }) => text)
        .join(),
    ).toMatch(/60 s.*120 s|exposure/);
    expect(plan(false, { dark: false })).toMatchObject({ bias: "b", dark: null });
    expect(plan(false, { flat: false })).toMatchObject({ flat: null });
  });
});
