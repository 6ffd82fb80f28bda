import { fc } from "../testing/properties";
import { fixture, plainKernels, wasmKernels } from "../testing/fixtures";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import type { CombineSettings, Limits, ScatterModel } from "../kernels";
import type { CreateRaster } from "../raster";
import { createRaster, rasterOf, tilesOf } from "../raster";
import { clipSorted, cube, criticalValues, REJECTORS, rejectorOf } from "./index";

const plain = plainKernels();
const wasm = wasmKernels();
const sigma = (lowSigma: number, highSigma: number): CombineSettings => ({
  by: "mean",
  rejector: rejectorOf("sigma"),
  limits: { low: lowSigma, high: highSigma },
});
const all: CombineSettings = { ...sigma(3, 3), rejector: rejectorOf("none") };
const alike = (n: number) => new Array<number>(n).fill(1);

describe.each([
  ["plain", plain],
  ["wasm", wasm],
])("the %s kernel", (_, kernels) => {
  test("the κ-sigma mean equals astropy's sigma_clip on the same cube, for three pairs of limits", () => {
    const { n, pixels, cube, cases } = fixture<{
      n: number;
      pixels: number;
      cube: number[];
      cases: { low: number; high: number; mean: number[]; kept: number[] }[];
    }>("clipping.json");
    for (const { low, high, mean, kept } of cases) {
      const out = kernels.combine(Float32Array.from(cube), n, pixels, alike(n), sigma(low, high));
      expect([...out.kept]).toEqual(kept);
      out.mean.forEach((v, p) => expect(Math.abs(v - mean[p])).toBeLessThan(2e-5));
      expect(out.samples).toBe(n * pixels);
      expect(out.rejected).toBe(n * pixels - kept.reduce((a, b) => a + b, 0));
    }
  });

  test("weights, halves, medians and missing data", () => {
    const cube = Float32Array.of(1, NaN, 2, NaN, 4, NaN, 8, 5); // 4 subs × 2 pixels: [1 2 4 8] and [NaN NaN NaN 5]
    const out = kernels.combine(cube, 4, 2, [1, 1, 2, 4], all);
    expect(out.mean[0]).toBeCloseTo((1 + 2 + 8 + 32) / 8, 6);
    expect(out.a[0]).toBeCloseTo((1 + 8) / 3, 6); // subs 0 and 2
    expect(out.b[0]).toBeCloseTo((2 + 32) / 5, 6); // subs 1 and 3
    expect(out.mean[1]).toBe(5);
    expect(out.a[1]).toBeNaN();
    expect([[...out.kept], [...out.coverage]]).toEqual([
      [4, 1],
      [4, 1],
    ]);
    const middle = kernels.combine(cube, 4, 2, [1, 1, 2, 4], { ...all, by: "median" });
    expect([...middle.mean, middle.a[0], middle.b[0], middle.b[1]]).toEqual([3, 5, 2.5, 5, 5]);
    const none = kernels.combine(Float32Array.of(NaN, NaN), 2, 1, [1, 1], sigma(3, 3));
    expect(none.mean[0]).toBeNaN();
    expect(none.coverage[0]).toBe(0);
    expect(() => kernels.combine(cube, 3, 2, [1, 1, 1], all)).toThrow(RangeError);
  });

  test("low and high limits work on their own side", () => {
    const cube = Float32Array.of(10, 10.1, 9.9, 10, 10.1, 9.9, 10, 10, 40, -20);
    expect(kernels.combine(cube, 10, 1, alike(10), sigma(Infinity, 2)).kept[0]).toBe(9);
    expect(kernels.combine(cube, 10, 1, alike(10), sigma(2, Infinity)).mean[0]).toBeGreaterThan(12);
  });
});

/** Limits that mean something to each rejector. */
const limitsFor = (id: string): Limits =>
  ({ percentile: { low: 0.1, high: 0.2 }, minmax: { low: 1, high: 2 }, esd: { low: 0.3, high: 0.05 } })[id] ?? {
    low: 1.5,
    high: 2,
  };

test("both twins keep the same values and give the same means and medians, whatever the cube", () => {
  const value = fc.oneof(
    { weight: 6, arbitrary: fc.integer({ min: -1000, max: 1000 }).map((v) => v / 37) },
    { weight: 1, arbitrary: fc.constantFrom(NaN, 0, 1e4, -1e4, Infinity) },
  );
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 21 }),
      fc.integer({ min: 1, max: 9 }),
      fc.constantFrom("mean" as const, "median" as const),
      fc.constantFrom(...REJECTORS),
      fc.infiniteStream(value),
      (n, pixels, by, rejector, stream) => {
        const cube = Float32Array.from({ length: n * pixels }, () => stream.next().value as number);
        const weights = Array.from({ length: n }, (_, i) => 0.2 + ((i * 7) % 5));
        const how = { by, rejector, limits: limitsFor(rejector.id) };
        const [centre, other] = [plain, wasm].map((kernels) => kernels.centres(cube, n, pixels));
        expect(other).toEqual(centre);
        const model: ScatterModel = {
          noise: weights.map((w) => 3 * w),
          signal: weights.map((w) => 0.1 * w),
          blur: weights.map((w) => 0.01 * w),
          sky: -3,
          centre: centre.median,
          spread: centre.spread,
          curvature: Float32Array.from({ length: pixels }, (_, p) => (p % 3) * 7),
          slope: Float32Array.from({ length: pixels }, (_, p) => (p % 2) * 0.3),
        };
        const detail = by === "mean" ? weights.map((w, i) => w * (1 + (i % 3))) : null;
        const [a, b] = [plain, wasm].map((kernels) => kernels.combine(cube, n, pixels, weights, how, model, detail));
        expect([a.fine === null, b.fine === null]).toEqual([detail === null, detail === null]);
        expect([a.kept, a.coverage, a.below, a.samples, a.rejected]).toEqual([
          b.kept,
          b.coverage,
          b.below,
          b.samples,
          b.rejected,
        ]);
        for (const [mine, other] of [[a, b] as const, [a.fine ?? a, b.fine ?? b] as const])
          for (const kind of ["mean", "a", "b"] as const)
            mine[kind].forEach((v, p) => {
              if (v !== v) expect(other[kind][p]).toBeNaN();
              else expect(Math.abs(v - other[kind][p])).toBeLessThanOrEqual(2e-6 * Math.max(1, Math.abs(v)));
            });
        // What is known to be bad counts as data and never goes in.
        for (let p = 0; p < pixels; p++) {
          const own = Array.from({ length: n }, (_, i) => cube[i * pixels + p]);
          expect(a.coverage[p]).toBe(own.filter((v) => v === v).length);
          expect(a.kept[p]).toBeLessThanOrEqual(own.filter(Number.isFinite).length);
          expect(a.mean[p]).not.toBe(Infinity);
        }
      },
    ),
    { numRuns: 700 },
  );
});

describe.each([
  ["plain", plain],
  ["wasm", wasm],
])("the %s kernel rejects", (_, kernels) => {
  const keptOf = (id: string, values: number[], limits: Limits): number =>
    kernels.combine(Float32Array.from(values), values.length, 1, alike(values.length), {
      by: "mean",
      rejector: rejectorOf(id),
      limits,
    }).kept[0];

  test("as numpy, scipy and astropy do on the same cube", () => {
    const { n, pixels, cube, cases } = fixture<{
      n: number;
      pixels: number;
      cube: number[];
      cases: { id: string; low: number; high: number; mean: number[]; kept: number[] }[];
    }>("rejection.json");
    for (const { id, low, high, mean, kept } of cases) {
      const how: CombineSettings = { by: "mean", rejector: rejectorOf(id), limits: { low, high } };
      const out = kernels.combine(Float32Array.from(cube), n, pixels, alike(n), how);
      expect([id, [...out.kept]]).toEqual([id, kept]);
      out.mean.forEach((v, p) => expect(Math.abs(v - mean[p])).toBeLessThan(2e-4));
    }
  });

  // NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.5.17.3: Rosner's 54 values, of which three are outliers; values and critical values from memory.
  test("Rosner's example by the generalised ESD test", () => {
    const values = [
      ...[-0.25, 0.68, 0.94, 1.15, 1.2, 1.26, 1.26, 1.34, 1.38, 1.43, 1.49, 1.49, 1.55, 1.56, 1.58, 1.65, 1.69, 1.7],
      ...[1.76, 1.77, 1.81, 1.91, 1.94, 1.96, 1.99, 2.06, 2.09, 2.1, 2.14, 2.15, 2.23, 2.24, 2.26, 2.35, 2.37, 2.4],
      ...[2.47, 2.54, 2.62, 2.64, 2.9, 2.92, 2.92, 2.93, 3.21, 3.26, 3.3, 3.59, 3.68, 4.3, 4.64, 5.34, 5.42, 6.01],
    ];
    expect(values.length).toBe(54);
    expect(criticalValues(54, 10, 0.05).map((v) => Number(v.toFixed(3)))).toEqual([
      3.159, 3.151, 3.144, 3.136, 3.128, 3.12, 3.112, 3.103, 3.094, 3.085,
    ]);
    expect(keptOf("esd", values, { low: 10.5 / 54, high: 0.05 })).toBe(51);
  });

  test("the expected noise shows an outlier among three, where σ of the samples cannot among six", () => {
    const at = (values: number[]) => {
      const cube = Float32Array.from(values);
      const n = values.length;
      const { median: centre, spread } = kernels.centres(cube, n, 1);
      const flat = Float32Array.of(0);
      const same = alike(n);
      const model = { noise: same, signal: same, blur: same, sky: 100, centre, spread, curvature: flat, slope: flat };
      const how: CombineSettings = { by: "mean", rejector: rejectorOf("expected"), limits: { low: 3.5, high: 3.5 } };
      return kernels.combine(cube, n, 1, same, how, model).kept[0];
    };
    expect(at([100, 101, 150])).toBe(2);
    expect(at([100, 101, 99.5, 100.2, 99.1, 150])).toBe(5);
    expect(keptOf("sigma", [100, 101, 99.5, 100.2, 99.1, 150], { low: 3, high: 3 })).toBe(6);
    // Light has noise of its own: 50 levels above the sky scatter by more than 7.
    expect(at([150, 157, 139])).toBe(3);
    // Where samples scatter more than expected (seeing, a wrong gain) limits widen.
    expect(at([90, 95, 100, 105, 110, 112])).toBe(6);
    expect(() =>
      kernels.combine(Float32Array.of(1, 2), 2, 1, [1, 1], { ...all, rejector: rejectorOf("expected") }),
    ).toThrow(RangeError);
  });
});

test.each([3, 4, 7, 8, 9, 16, 17, 25, 30, 40, 47, 64, 65])(
  "both twins keep the same of %i layers of noise without gaps, most of them without an outlier",
  (n) => {
    const pixels = 203;
    const random = createRandom(n);
    const cube = Float32Array.from({ length: n * pixels }, () => random.normal() + (random.uniform() < 0.004 ? 9 : 0));
    // Values that lie as far out as the limits, to the last bit, are the hardest.
    for (let p = 0; p < 20; p++)
      for (let i = 0; i < n; i++) cube[i * pixels + p] = Math.round(4 * cube[i * pixels + p]) / 4 + 0;
    const weights = Array.from({ length: n }, (_, i) => 1 + (i % 3));
    const [centre, other] = [plain, wasm].map((kernels) => kernels.centres(cube, n, pixels));
    expect(other).toEqual(centre);
    for (const rejector of REJECTORS.filter((r) => r.narrow))
      for (const by of ["mean", "median"] as const) {
        const how = { by, rejector, limits: limitsFor(rejector.id) };
        const [a, b] = [plain, wasm].map((kernels) => kernels.combine(cube, n, pixels, weights, how));
        expect([rejector.id, b.kept, b.below, b.rejected]).toEqual([rejector.id, a.kept, a.below, a.rejected]);
        for (const kind of ["mean", "a", "b"] as const)
          a[kind].forEach((v, p) => {
            if (v !== v) expect(b[kind][p]).toBeNaN();
            else expect(Math.abs(v - b[kind][p])).toBeLessThanOrEqual(1e-6);
          });
      }
  },
);

test("limits act alike where noise is a few steps of single precision on a high level", () => {
  // Steps of 1/512 between 16,384 and 32,768: the median of an even number lies half a step off any single.
  const random = createRandom(5);
  for (const n of [6, 8, 12]) {
    const pixels = 6000;
    const cube = Float32Array.from({ length: n * pixels }, () => 20000 + Math.round(2 * random.normal()) / 512);
    for (const rejector of REJECTORS.filter(({ id }) => id === "sigma" || id === "mad"))
      for (const limit of [1.2, 1.5, 2]) {
        const how = { by: "mean" as const, rejector, limits: { low: limit, high: limit } };
        const [a, b] = [plain, wasm].map((kernels) => kernels.combine(cube, n, pixels, alike(n), how));
        expect(a.rejected).toBeGreaterThan(100);
        expect([b.kept, b.below]).toEqual([a.kept, a.below]);
      }
  }
});

test("many layers and many pixels, more than one block of the kernel", () => {
  const [n, pixels] = [300, 1501];
  const cube = Float32Array.from(
    { length: n * pixels },
    (_, k) => ((k * 7919) % 1009) / 100 + (k % 5000 === 0 ? 500 : 0),
  );
  const [a, b] = [plain, wasm].map((kernels) => kernels.combine(cube, n, pixels, alike(n), sigma(3, 3)));
  expect(b.kept).toEqual(a.kept);
  expect(a.rejected).toBeGreaterThan(50);
  b.mean.forEach((v, p) => expect(Math.abs(v - a.mean[p])).toBeLessThan(1e-5));
});

test("clipping sorted ends equals clipping unsorted values round by round", () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.integer({ min: -1e6, max: 1e6 }).map((v) => v / 1000),
        { minLength: 2, maxLength: 25 },
      ),
      (values) => {
        const sorted = Float64Array.from(values).sort();
        const range = { first: 0, end: sorted.length };
        clipSorted(sorted, sorted.length, { low: 1.5, high: 2 }, range);
        let kept = [...sorted];
        for (let round = 0; round < 5 && kept.length > 1; round++) {
          const median =
            kept.length % 2 ? kept[kept.length >> 1] : (kept[kept.length / 2 - 1] + kept[kept.length / 2]) / 2;
          const mean = kept.reduce((a, b) => a + b, 0) / kept.length;
          const sigma = Math.sqrt(kept.reduce((s, v) => s + (v - mean) ** 2, 0) / kept.length);
          const next = kept.filter((v) => v >= median - 1.5 * sigma && v <= median + 2 * sigma);
          if (next.length === kept.length) break;
          kept = next;
        }
        expect(range.end - range.first).toBe(kept.length);
      },
    ),
  );
});

test.each(
  REJECTORS.flatMap((rejector) => (rejector.narrow ? [[rejector.id, rejector, rejector.narrow] as const] : [])),
)(
  "%s keeps a range of the sorted values, nothing of none, and all of equal ones unless it trims",
  (id, rejector, narrow) => {
    const limits = limitsFor(id);
    const narrowed = (values: Float64Array) => {
      const kept = { first: 0, end: values.length };
      narrow(values, values.length, limits, kept, rejector.table?.(Math.max(3, values.length), limits));
      return kept;
    };
    fc.assert(
      fc.property(fc.array(fc.double({ min: -9, max: 9, noNaN: true }), { maxLength: 12 }), (values) => {
        const kept = narrowed(Float64Array.from(values).sort());
        expect(kept.first).toBeGreaterThanOrEqual(0);
        expect(kept.end).toBeLessThanOrEqual(values.length);
        if (values.length > 0) expect(kept.end).toBeGreaterThan(kept.first);
        if (id !== "percentile" && id !== "minmax")
          expect(narrowed(new Float64Array(5).fill(0.1))).toEqual({ first: 0, end: 5 });
      }),
      { examples: [[[0, 1e-323]]] }, // found by chance: a σ that is lost in rounding
    );
    expect(rejectorOf(rejector.id)).toBe(rejector);
  },
);

test("an unknown rejection is refused with those that are known", () => {
  expect(() => rejectorOf("magic")).toThrow(/must be one of expected, sigma, .*none, received magic/);
});

test("the walk gives every layer's samples of each tile once, with the tile's weights, and reports its progress and its memory", async () => {
  const tiles = tilesOf({ x: 0, y: 0, width: 7, height: 5 }, 4);
  const fractions: number[] = [];
  const job = { ...quietJob(plain), progress: (fraction: number) => void fractions.push(fraction) };
  const seen = createRaster(7, 5, 1).planes[0];
  const layers = {
    count: 3,
    channels: 1,
    read: (layer: number, tile: (typeof tiles)[number]) => {
      const plane = Float32Array.from(
        { length: tile.width * tile.height },
        (_, p) => 100 * layer + (tile.y + Math.floor(p / tile.width)) * 7 + tile.x + (p % tile.width),
      );
      return Promise.resolve(rasterOf(tile.width, tile.height, [plane]));
    },
    // The second layer alone counts on the left, the third alone on the right.
    weights: ({ x }: (typeof tiles)[number]) => (x === 0 ? [0, 1, 0] : [0, 0, 1]),
  };
  const peak = await cube(all).run(layers, tiles, job, ({ tile, channels: [{ mean }] }) => {
    mean.forEach((v, p) => (seen[(tile.y + Math.floor(p / tile.width)) * 7 + tile.x + (p % tile.width)] = v));
  });
  expect([...seen]).toEqual(Array.from({ length: 35 }, (_, i) => i + (i % 7 < 4 ? 100 : 200)));
  expect(fractions[fractions.length - 1]).toBe(1);
  expect(peak).toBe(16 * (4 * 3 + 24));
});

test("layers may be read straight into the place where they are combined, or anywhere else", async () => {
  const tiles = tilesOf({ x: 0, y: 0, width: 6, height: 4 }, 6, 2);
  const means = async (isInPlace: boolean) => {
    const out: number[] = [];
    const layers = {
      count: 2,
      channels: 2,
      read: (layer: number, { width, height, y }: (typeof tiles)[number], create: CreateRaster) => {
        const raster = isInPlace ? create(width, height, 2) : createRaster(width, height, 2);
        raster.planes.forEach((plane, c) => plane.forEach((_, p) => (plane[p] = 10 * c + layer + y + p)));
        return Promise.resolve(raster);
      },
      weights: () => [1, 3],
    };
    await cube(all).run(layers, tiles, quietJob(plain), ({ channels }) => {
      for (const { mean } of channels) out.push(...mean);
    });
    return out;
  };
  const inPlace = await means(true);
  expect(inPlace).toEqual(await means(false));
  expect(inPlace.slice(0, 3)).toEqual([0.75, 1.75, 2.75]);
});
