/* What every operation must keep to, as tests: shared out over contractOf….test.ts, so that several workers try them. */
import { factsNeeded, measureChain, newStep, readySteps, runChain } from "../chain";
import type { ChainStep } from "../chain";
import { quietJob } from "../job";
import type { Raster } from "../raster";
import { cropRaster, frameOfRaster, robustSpread, wholeRegion } from "../raster";
import { paintStars, plainKernels, randomStars, wasmKernels, worstDifference } from "./fixtures";
import type { AnyOperation } from "../operations/index";
import { CHANNEL_MODES, findOperation } from "../operations/index";
import type { Slider } from "../parameters";

export const kernels = wasmKernels();
export const job = quietJob(kernels);
export const SIZE = { width: 320, height: 290 };

/** A picture like a stack: stars of three colours, a sky with structure, noise, and a border without data. */
function testPicture(seed: number, noise: number, border = 0): Raster {
  const raster = paintStars(SIZE.width, SIZE.height, randomStars(45, SIZE.width, SIZE.height, 5), {
    channels: 3,
    noise,
    seed,
    tint: [1.2, 1, 0.8],
  });
  raster.planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) {
      const x = i % SIZE.width;
      const y = Math.floor(i / SIZE.width);
      plane[i] += 0.002 * (1 + c) * Math.exp(-((x - 200) ** 2 + (y - 150) ** 2) / 9000) * (1 + 0.3 * Math.sin(x * 0.2));
      if (x < border || y < border) plane[i] = NaN;
    }
  });
  return raster;
}

export const picture = testPicture(1, 0.0002, 5);
const halves = {
  a: frameOfRaster(testPicture(2, 0.0002 * Math.SQRT2, 5)),
  b: frameOfRaster(testPicture(3, 0.0002 * Math.SQRT2, 5)),
};
export const fill = [0.01, 0.01, 0.01];
export const input = { picture: frameOfRaster(picture), halves, fill, fullScale: 1 };
export const stepOf = (operation: AnyOperation, part: Partial<ChainStep> = {}): ChainStep => ({
  ...newStep(operation),
  ...part,
});
export const [starlet, sharpen, stretch] = ["noise.starlet", "deconvolve.richardson-lucy", "stretch.arcsinh"].map(
  (id) => findOperation(id) as AnyOperation,
);

/** Facts of the picture's chains: the settings of the last step count for them only by which it asks for. */
const measured = new Map<string, ReturnType<typeof measureChain>>();
function factsOf(steps: ChainStep[]) {
  const key = JSON.stringify([steps.slice(0, -1), steps.slice(-1).map((step) => [step.operation, factsNeeded(step)])]);
  const known = measured.get(key) ?? measureChain(input, steps, job);
  measured.set(key, known);
  return known;
}

export async function run(steps: ChainStep[], source = input.picture, region = wholeRegion(SIZE), given = job) {
  const facts =
    source === input.picture ? await factsOf(steps) : await measureChain({ ...input, picture: source }, steps, job);
  return runChain(source, readySteps(steps, facts), region, fill, given);
}

/** A blur that was taken from elsewhere. */
const KERNEL = { from: "a star", side: 3, values: [0, 0.1, 0, 0.1, 0.6, 0.1, 0, 0.1, 0] };

/** Sky without stars, in which noise is measured; every star, left out; and a point. */
const PATCHES = { patches: [{ id: "a", x: 60, y: 230, side: 48 }], forNoise: true };
const DROPPED = randomStars(45, SIZE.width, SIZE.height, 5).map(({ x, y }): [number, number] => [x, y]);
const POINTS: [number, number][] = [[150, 120]];

/** What every operation must keep to, alone. */
export function checkContract(operation: AnyOperation): void {
  const { defaults, fields, schema } = operation.parameters;
  const sliders = fields.filter((field): field is Slider & { name: string } => field.kind === "slider");

  const isFast = ["noise.median", "deconvolve.richardson-lucy", "deconvolve.stars-apart"].includes(operation.id);
  /** Settings with which it takes less time, or shows more of what it does. */
  const quick =
    {
      "noise.block-matching": { search: 4 },
      "deconvolve.richardson-lucy": { iterations: 3 },
      "deconvolve.stars-apart": { iterations: 3 },
      "deconvolve.starlet-lucy": { iterations: 3 },
      "noise.median": { threshold: 2 },
    }[operation.id as string] ?? {};

  test("has complete parameters: defaults in range, every field described, a strength", () => {
    for (const field of fields) {
      expect(defaults).toHaveProperty(field.name);
      expect(field.hint.length).toBeGreaterThan(15);
      if (field.kind === "choice") expect(field.options.length).toBeGreaterThan(1);
    }
    for (const field of sliders) {
      expect(schema.safeParse({ [field.name]: field.min - field.step }).success).toBe(false);
      expect(schema.safeParse({ [field.name]: field.max + field.step }).success).toBe(false);
    }
    if (operation.can.strength) expect(sliders.map(({ name }) => name)).toContain(operation.can.strength.field);
    expect(operation.channels.every((mode: string) => CHANNEL_MODES.some((known) => known === mode))).toBe(true);
    expect(operation.words.summary).toMatch(/\.$/);
  });

  // Round stars are left as they are: settings of what rounds them are tried in its own test, on others.
  const isTriedElsewhere = operation.id === "deconvolve.round-stars";

  test(`every setting changes the picture${isTriedElsewhere ? ": in its own test; here, of round stars, none does" : ""}`, async () => {
    const region = isFast ? wholeRegion(SIZE) : { x: 140, y: 100, width: 96, height: 80 };
    // The fine detail of these stars shows no blur, so that layers by it do nothing here.
    const typed = operation.id === "deconvolve.energy-layers" ? { psf: "typed" } : {};
    const known = new Map<string, Promise<Raster>>();
    const at = (params: Record<string, unknown>): Promise<Raster> => {
      const key = JSON.stringify(Object.entries(params).sort());
      const made = known.get(key) ?? run([stepOf(operation, { params })], input.picture, region);
      known.set(key, made);
      return made;
    };
    for (const field of fields) {
      const when = field.when;
      // What strength there is for begins to matter below full strength.
      const own = { ...defaults, ...quick, ...(field.name === "levers" ? { strength: 0.4 } : {}), ...typed };
      const [needed] = when ? [when.is].flat() : [];
      const beside = when ? { ...own, [when.name]: needed === "true" ? true : needed } : own;
      const values: unknown[] =
        field.kind === "slider"
          ? [
              field.min,
              field.min +
                Math.round(((field.max - field.min) * (field.name === "leastGrain" ? 1 : 0.4)) / field.step) *
                  field.step,
            ]
          : field.kind === "choice"
            ? field.options.slice(0, 2).map(({ value }) => value)
            : { psf: [null, KERNEL], toggle: [true, false], patches: [PATCHES], stars: [DROPPED], points: [POINTS] }[
                field.kind
              ];
      // Against the settings beside, which are run once for all that share them: by one value, and by the other where that changes nothing.
      const before = await at(beside);
      let isChanged = false;
      for (const value of values) {
        if (isChanged || value === (beside as Record<string, unknown>)[field.name]) continue;
        const after = await at({ ...beside, [field.name]: value });
        // The strength of a channel changes that channel.
        isChanged = before.planes.some((plane, c) => worstDifference(plane, after.planes[c]) > 1e-7);
      }
      expect([field.name, isChanged]).toEqual([field.name, !isTriedElsewhere]);
    }
  });

  test("the input is not changed; blend 0 is the input, blend ½ lies between; gaps stay gaps", async () => {
    const copy = picture.planes[0].slice();
    const region = { x: 0, y: 0, width: 230, height: 200 };
    const before = cropRaster(picture, region);
    const full = await run([stepOf(operation)], input.picture, region);
    const none = await run([stepOf(operation, { blend: 0 })], input.picture, region);
    const half = await run([stepOf(operation, { blend: 0.5 })], input.picture, region);
    expect(picture.planes[0]).toEqual(copy);
    expect(worstDifference(none.planes[1], before.planes[1])).toBe(0);
    const i = 150 * region.width + 200;
    expect(half.planes[1][i]).toBeCloseTo((full.planes[1][i] + before.planes[1][i]) / 2, 6);
    expect(full.planes[0][0]).toBeNaN();
  });

  test("works on one channel, on a tiny and on a constant picture, without inventing anything", async () => {
    for (const [width, height] of [
      [1, 1],
      [3, 2],
      [40, 33],
    ]) {
      const flat = { width, height, channels: 1, planes: [new Float32Array(width * height).fill(0.25)] };
      const steps = [stepOf(operation)];
      const small = { picture: frameOfRaster(flat), halves: null, fill: [0.25], fullScale: 1 };
      const facts = await measureChain(small, steps, job);
      const out = await runChain(small.picture, readySteps(steps, facts), wholeRegion(flat), [0.25], job);
      expect(out.planes[0].every((v) => Number.isFinite(v))).toBe(true);
      expect(robustSpread(out.planes[0]).sigma).toBeLessThan(1e-6);
    }
  });

  test("its facts are plain JSON", async () => {
    const facts = await factsOf([stepOf(operation)]);
    expect(JSON.parse(JSON.stringify(facts))).toEqual(facts);
  });

  test("the plain kernels give the same picture", async () => {
    const region = { x: 180, y: 120, width: 24, height: 20 };
    const steps = [stepOf(operation, { params: { ...defaults, ...quick } })];
    const [a, b] = [
      await run(steps, input.picture, region),
      await run(steps, input.picture, region, quietJob(plainKernels())),
    ];
    expect(worstDifference(a.planes[0], b.planes[0])).toBeLessThan(1e-5);
  });
}
