import type { ChainStep } from "../chain";
import { measureChain, measureFacts, newStep, readySteps, runChain, stepsForHalves, UNTOUCHED } from "../chain";
import type { FactId, Facts } from "../facts";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import type { Raster, Region } from "../raster";
import { cropRaster, frameOfRaster, rasterOf, wholeRegion } from "../raster";
import { linear, rotationAbout } from "../register";
import { paintStars, plainKernels, randomStars, wasmKernels, worstDifference } from "../testing/fixtures";
import { smoothedShare } from "./light";
import type { Mask } from "./index";
import { factsOfMask, findMaskKind, mask as maskSchema, MASK_KINDS, maskValues, placedMask } from "./index";

const job = quietJob(wasmKernels());
const SIZE = { width: 300, height: 240 };
const LEVEL = 0.01;
const SIGMA = 0.0002;
const fill = [LEVEL, LEVEL, LEVEL];

/** A mask of one part or more, each given as its kind with settings. */
const maskOf = (
  parts: { kind: string; how?: string; inverted?: boolean; outline?: number[][]; [setting: string]: unknown }[],
  whole: Partial<Mask> = {},
): Mask =>
  maskSchema.parse({
    id: "m",
    name: "m",
    parts: parts.map(({ kind, how, inverted, outline, ...params }) => ({ kind, how, inverted, outline, params })),
    ...whole,
  });

async function factsFor(picture: Raster, ids: FactId[]): Promise<Facts> {
  const input = { picture: frameOfRaster(picture), halves: null, fill, fullScale: 1 };
  const found = await measureFacts(
    input,
    [],
    [],
    0,
    ids.map((id) => `${id}@${UNTOUCHED}` as const),
    job,
  );
  return Object.fromEntries(ids.map((id) => [id, found[`${id}@${UNTOUCHED}`]?.[0]])) as unknown as Facts;
}

async function valuesOf(mask: Mask, picture: Raster, region: Region = wholeRegion(picture)): Promise<Float32Array> {
  const facts = await factsFor(picture, factsOfMask(mask));
  return maskValues(mask, frameOfRaster(picture), region, fill, facts, job);
}

/** Flat sky with noise; the right half higher by so much in each channel. */
function step(heights: number[], seed = 1): Raster {
  const random = createRandom(seed);
  const planes = heights.map((h) =>
    Float32Array.from(
      { length: SIZE.width * SIZE.height },
      (_, i) => LEVEL + SIGMA * random.normal() + (i % SIZE.width >= 200 ? h : 0),
    ),
  );
  return rasterOf(SIZE.width, SIZE.height, planes);
}

const mean = (values: Float32Array, isIn: (x: number, y: number) => boolean) => {
  let [sum, n] = [0, 0];
  values.forEach((v, i) => {
    if (isIn(i % SIZE.width, Math.floor(i / SIZE.width))) [sum, n] = [sum + v, n + 1];
  });
  return sum / n;
};
const left = (x: number) => x < 180;
const right = (x: number) => x > 220;

describe("what is measured from the picture", () => {
  test("smoothed white noise keeps Σ taps² of its σ: 70/256 after one B3 smoothing (closed form)", () => {
    const white = Float64Array.from({ length: 289 }, (_, k) => (k === 144 ? 4 : 0));
    expect(smoothedShare([...white], 1)).toBeCloseTo(70 / 256, 9);
    expect(smoothedShare([...white], 0)).toBe(1);
  });

  test("bright: half way at the middle of its two levels, in dB over the sky's noise", async () => {
    // 100 σ of one channel; dB over the noise of the mean of three channels, σ/√3.
    const db = 20 * Math.log10(100 * Math.sqrt(3));
    const values = await valuesOf(
      maskOf([{ kind: "brightness", from: Math.round(db) - 10, to: Math.round(db) + 10, over: 3 }]),
      step([100, 100, 100].map((k) => k * SIGMA)),
    );
    expect(mean(values, left)).toBeLessThan(0.001);
    expect(mean(values, right)).toBeGreaterThan(0.46);
    expect(mean(values, right)).toBeLessThan(0.56);
  });

  test("signal: half way where the local mean stands at the middle of the two SNRs", async () => {
    // After two smoothings the noise of the mean of three channels is known in closed form for white noise.
    const share = smoothedShare([...Float64Array.from({ length: 289 }, (_, k) => (k === 144 ? 1 : 0))], 2);
    const height = 20 * (SIGMA / Math.sqrt(3)) * share;
    const picture = step([height, height, height]);
    const values = await valuesOf(maskOf([{ kind: "snr", from: 10, to: 30, over: 2 }]), picture);
    expect(mean(values, right)).toBeGreaterThan(0.4);
    expect(mean(values, right)).toBeLessThan(0.6);
    expect(mean(values, left)).toBeLessThan(0.001);
  });

  test("colour: red at 0°, green at 120°, blue at 240°, as the hues of HSV; not the others, not grey, not noise", async () => {
    const h = 60 * SIGMA;
    const pure = [step([h, 0, 0]), step([0, h, 0]), step([0, 0, h])];
    for (const [c, picture] of pure.entries())
      for (const hue of [0, 120, 240]) {
        const values = await valuesOf(maskOf([{ kind: "colour", hue, width: 40 }]), picture);
        expect(mean(values, right)).toBeCloseTo(hue === 120 * c ? 1 : 0, 2);
        expect(mean(values, left)).toBeLessThan(0.05);
      }
    expect(mean(await valuesOf(maskOf([{ kind: "colour", width: 180 }]), step([h, h, h])), right)).toBeLessThan(0.02);
    expect(await valuesOf(maskOf([{ kind: "colour" }]), step([h]))).toEqual(new Float32Array(SIZE.width * SIZE.height));
  });

  test("stars: each clear star lies in a disc, wider for brighter ones; the sky between does not", async () => {
    const painted = randomStars(25, SIZE.width, SIZE.height, 5);
    const picture = paintStars(SIZE.width, SIZE.height, painted, { noise: SIGMA, channels: 3 });
    const values = await valuesOf(maskOf([{ kind: "stars" }]), picture);
    const at = ({ x, y }: { x: number; y: number }) => values[Math.round(y) * SIZE.width + Math.round(x)];
    expect(painted.every((star) => at(star) === 1)).toBe(true);
    const radius = (star: { x: number; y: number }) => {
      for (let r = 1; ; r++) if (at({ x: star.x + r, y: star.y }) < 0.5) return r;
    };
    const order = [...painted].sort((p, q) => q.flux - p.flux);
    expect(radius(order[0])).toBeGreaterThan(radius(order[24]) + 2);
    expect(mean(values, () => true)).toBeLessThan(0.35);
    expect(mean(await valuesOf(maskOf([{ kind: "stars" }]), step([0, 0, 0])), () => true)).toBe(0);
  });
});

describe("what is drawn", () => {
  const flat = rasterOf(SIZE.width, SIZE.height, [new Float32Array(SIZE.width * SIZE.height)]);
  const sum = (values: Float32Array) => values.reduce((a, b) => a + b, 0);
  const corners = [
    [60, 40],
    [220, 60],
    [180, 190],
    [90, 150],
  ];
  // Shoelace formula.
  const area =
    0.5 *
    Math.abs(
      corners.reduce((s, [x, y], k) => {
        const [u, v] = corners[(k + 1) % corners.length];
        return s + x * v - u * y;
      }, 0),
    );

  test.each([0, 12, 40])("a polygon covers its area (shoelace formula), feather %d px", async (feather) => {
    const values = await valuesOf(maskOf([{ kind: "polygon", outline: corners, feather }]), flat);
    // Outside of its corners a feather has more room than inside of them: π feather² / 12 or so in all.
    expect(Math.abs(sum(values) / area - 1)).toBeLessThan(0.01 + (Math.PI * feather ** 2) / 12 / area);
  });

  test("an ellipse covers π a b, turned too", async () => {
    const turned = [
      [150, 120],
      [150 + 70 * Math.cos(0.5), 120 + 70 * Math.sin(0.5)],
      [150 - 40 * Math.sin(0.5), 120 + 40 * Math.cos(0.5)],
    ];
    const values = await valuesOf(maskOf([{ kind: "ellipse", outline: turned, feather: 10 }]), flat);
    expect(Math.abs(sum(values) / (Math.PI * 70 * 40) - 1)).toBeLessThan(0.01);
  });

  test("and, or, minus and inverted are those of sets", async () => {
    const box = (x: number, width: number, part: object = {}) => ({
      kind: "polygon",
      feather: 0,
      outline: [
        [x - 0.5, 49.5],
        [x + width - 0.5, 49.5],
        [x + width - 0.5, 149.5],
        [x - 0.5, 149.5],
      ],
      ...part,
    });
    const [a, b] = [box(50, 100), box(100, 100)];
    const areaOf = async (mask: Mask) => sum(await valuesOf(mask, flat));
    expect(await areaOf(maskOf([a, { ...b, how: "and" }]))).toBe(5000);
    expect(await areaOf(maskOf([a, { ...b, how: "or" }]))).toBe(15000);
    expect(await areaOf(maskOf([a, { ...b, how: "minus" }]))).toBe(5000);
    expect(await areaOf(maskOf([a, { ...b, how: "and", inverted: true }]))).toBe(5000);
    expect(await areaOf(maskOf([a], { inverted: true }))).toBe(SIZE.width * SIZE.height - 10000);
    expect(await areaOf(maskOf([]))).toBe(SIZE.width * SIZE.height);
  });

  test("a blur keeps the sum and widens by its σ", async () => {
    const dot = {
      kind: "polygon",
      feather: 0,
      outline: [
        [149.5, 119.5],
        [150.5, 119.5],
        [150.5, 120.5],
        [149.5, 120.5],
      ],
    };
    const values = await valuesOf(maskOf([dot], { blurPx: 8 }), flat);
    expect(sum(values)).toBeCloseTo(1, 4);
    const spread = values.reduce((s, v, i) => s + v * ((i % SIZE.width) - 150) ** 2, 0);
    expect(Math.abs(Math.sqrt(spread) / 8 - 1)).toBeLessThan(0.001);
  });

  test("placed by a warp it lies where the warp puts it, as wide as the sky is there", async () => {
    const mask = maskOf([{ kind: "polygon", outline: corners, feather: 8 }]);
    const turned = placedMask(mask, rotationAbout(Math.PI, 150, 120, 0, 0));
    const [there, here] = [await valuesOf(turned, flat), await valuesOf(mask, flat)];
    let worst = 0;
    for (let y = 1; y < SIZE.height; y++)
      for (let x = 1; x < SIZE.width; x++)
        worst = Math.max(worst, Math.abs(there[(240 - y) * SIZE.width + 300 - x] - here[y * SIZE.width + x]) || 0);
    expect(worst).toBeLessThan(1e-5);
    const half = placedMask(mask, linear([0.5, 0, 0, 0, 0.5, 0]));
    expect(half.parts[0].params.feather).toBe(4);
    expect(Math.abs((4 * sum(await valuesOf(half, flat))) / area - 1)).toBeLessThan(0.02);
  });
});

const everyKind = maskOf(
  [
    { kind: "brightness", from: 0, to: 40 },
    { kind: "snr", how: "or" },
    { kind: "stars", how: "minus" },
    { kind: "colour", how: "or" },
    {
      kind: "ellipse",
      how: "minus",
      outline: [
        [150, 120],
        [190, 120],
        [150, 150],
      ],
    },
    {
      kind: "polygon",
      how: "or",
      inverted: true,
      outline: [
        [10, 10],
        [90, 20],
        [60, 200],
      ],
    },
    {
      kind: "freehand",
      how: "and",
      outline: [
        [0, 0],
        [300, 0],
        [300, 240],
        [0, 240],
      ],
    },
  ],
  { blurPx: 3 },
);
const stars = paintStars(SIZE.width, SIZE.height, randomStars(25, SIZE.width, SIZE.height, 5), {
  noise: SIGMA,
  channels: 3,
  tint: [1.5, 1, 0.6],
});

test("every kind: a crop is the same as that part of the whole; both kernels agree", async () => {
  expect(everyKind.parts.map(({ kind }) => kind).sort()).toEqual(MASK_KINDS.map(({ id }) => id).sort());
  const whole = await valuesOf(everyKind, stars);
  const region = { x: 90, y: 60, width: 110, height: 90 };
  const crop = await valuesOf(everyKind, stars, region);
  const cut = cropRaster(rasterOf(SIZE.width, SIZE.height, [whole]), region).planes[0];
  expect(worstDifference(crop, cut)).toBeLessThan(1e-5);
  const facts = await factsFor(stars, factsOfMask(everyKind));
  const plain = await maskValues(everyKind, frameOfRaster(stars), region, fill, facts, quietJob(plainKernels()));
  expect(worstDifference(plain, crop)).toBeLessThan(1e-3);
});

test("every kind says what it does, and refuses what is out of range with its field", () => {
  for (const { summary, parameters, id } of MASK_KINDS) {
    expect(summary).toMatch(/\.$/);
    expect(parameters.fields.every(({ hint }) => hint.length > 10)).toBe(true);
    expect(findMaskKind(id)).toBeDefined();
  }
  const wrong = maskSchema.safeParse({ id: "m", name: "m", parts: [{ kind: "stars", params: { size: 90 } }] });
  expect(wrong.error?.issues[0].path).toEqual(["parts", 0, "params", "size"]);
  expect(maskSchema.safeParse({ id: "m", name: "m", parts: [{ kind: "magic" }] }).error?.issues[0].message).toContain(
    "magic",
  );
});

describe("in a chain", () => {
  const operation = findOperation("noise.gaussian");
  if (!operation) throw new Error("the registry has no Gaussian");
  const box = maskOf([
    {
      kind: "polygon",
      feather: 0,
      outline: [
        [100, 50],
        [200, 50],
        [200, 150],
        [100, 150],
      ],
    },
  ]);
  const picture = frameOfRaster(stars);
  const input = { picture, halves: null, fill, fullScale: 1 };
  const treated = async (steps: ChainStep[], source = picture) => {
    const ready = readySteps(steps, await measureChain(input, steps, job));
    return runChain(source, source === picture ? ready : stepsForHalves(ready, picture), wholeRegion(SIZE), fill, job);
  };

  test("a step acts inside its mask as it would everywhere, and leaves the rest bit for bit; strength counts too", async () => {
    const step = newStep(operation);
    const [inside, everywhere] = [await treated([{ ...step, mask: box }]), await treated([step])];
    const half = { ...step, params: { ...step.params, strength: 0.5 } };
    const [halfInside, halfEverywhere] = [await treated([{ ...half, mask: box }]), await treated([half])];
    const at = (raster: Raster, x: number, y: number) => raster.planes[1][y * SIZE.width + x];
    for (const [x, y, isIn] of [
      [150, 100, true],
      [199, 149, true],
      [99, 100, false],
      [20, 200, false],
    ] as const) {
      expect(at(inside, x, y)).toBeCloseTo(at(isIn ? everywhere : stars, x, y), 7);
      expect(at(halfInside, x, y)).toBeCloseTo(at(isIn ? halfEverywhere : stars, x, y), 7);
    }
  });

  test("halves go through the whole's mask, not one of their own", async () => {
    const bright = maskOf([{ kind: "brightness", from: 0, to: 10, over: 0 }]);
    const dark = rasterOf(
      SIZE.width,
      SIZE.height,
      stars.planes.map((plane) => plane.map(() => LEVEL)),
    );
    dark.planes.forEach((plane) => (plane[120 * SIZE.width + 150] = 1));
    const steps = [
      { ...newStep(operation), params: { ...operation.parameters.defaults, keepPoints: false }, mask: bright },
    ];
    const out = await treated(steps, frameOfRaster(dark));
    const whole = await treated([{ ...steps[0], mask: null }], frameOfRaster(dark));
    const values = await valuesOf(bright, stars);
    const i = 120 * SIZE.width + 151;
    expect(out.planes[0][i]).toBeCloseTo(LEVEL + values[i] * (whole.planes[0][i] - LEVEL), 6);
  });
});
