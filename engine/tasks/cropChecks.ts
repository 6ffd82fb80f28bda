/*
 * The crop is the picture: one property over every registered operation, through the task that the screen uses. Its cases are shared out
 * over cropOf….test.ts, so that several workers try them.
 */
import { fc } from "@/core/testing/properties";
import type { ChainStep, FactKey } from "@/core/chain";
import { isStretched, measureFacts, newStep, prepareChain } from "@/core/chain";
import type { LevelsFact } from "@/core/facts";
import { quietJob } from "@/core/job";
import type { AnyOperation, ChannelMode } from "@/core/operations";
import { stretchCurves, stretchParameters } from "@/core/display";
import { CROP_BOUND, findOperation } from "@/core/operations";
import type { Field } from "@/core/parameters";
import type { Raster, Region } from "@/core/raster";
import { createRaster, cropRaster, frameOfRaster, rasterBytes, reduceInto, wholeRegion } from "@/core/raster";
import { paintStars, randomStars, wasmKernels, worstDifference } from "@/core/testing/fixtures";
import { byteCache } from "../cache";
import type { StepFactIds } from "../facts";
import { FactValues } from "../facts";
import { createFrameStore } from "../frames";
import { blobBytes, rasterRef } from "../testing";
import { crop, type Treatment } from "./crop";
import type { TaskContext } from "./task";
import { runTask } from "./task";

export const SIZE = { width: 260, height: 210 };
const stars = randomStars(40, SIZE.width, SIZE.height, 6);

/** A dithered stack: stars of three colours, and no data along two borders and in a hole. */
function stackLike(seed: number, noise: number): Raster {
  const raster = paintStars(SIZE.width, SIZE.height, stars, { channels: 3, seed, noise, tint: [1.2, 1, 0.8] });
  for (const plane of raster.planes)
    for (let i = 0; i < plane.length; i++) {
      const x = i % SIZE.width;
      const y = Math.floor(i / SIZE.width);
      if (x < 7 || y >= SIZE.height - 4 || Math.hypot(x - 150, y - 90) < 6) plane[i] = NaN;
    }
  return raster;
}

export const rasters = {
  p: stackLike(1, 0.0003),
  a: stackLike(2, 0.0003 * Math.SQRT2),
  b: stackLike(3, 0.0003 * Math.SQRT2),
};
const picture = rasterRef("p", rasters.p);
const halves = { a: rasterRef("a", rasters.a), b: rasterRef("b", rasters.b) };
const fill = [0.012, 0.01, 0.008];
const job = quietJob(wasmKernels());
export const facts = new FactValues();
export const context = (): TaskContext => ({
  job,
  facts,
  frames: createFrameStore(blobBytes, job.kernels),
  cache: byteCache<Raster>(256 * 2 ** 20, rasterBytes),
});

/** Ids of facts by what they are of: those of the same first steps are measured once for all chains. */
const known = new Map<string, string>();

export async function treatmentOf(steps: ChainStep[], given = halves as Treatment["halves"]): Promise<Treatment> {
  const sources = given && { a: frameOfRaster(rasters.a), b: frameOfRaster(rasters.b) };
  const input = { picture: frameOfRaster(rasters.p), halves: sources, fill, fullScale: 1 };
  const ids = await prepareChain(steps, {} as StepFactIds, async (index, keys, before) => {
    const keyOf = (key: FactKey) => JSON.stringify([given !== null, steps.slice(0, index), key]);
    const missing = keys.filter((key) => !known.has(keyOf(key)));
    const values = before.map((own) => facts.valuesOf(own));
    const found = missing.length > 0 ? await measureFacts(input, steps, values, index, missing, job) : {};
    for (const key of missing) {
      const id = String(known.size);
      facts.keep(id, found[key] ?? []);
      known.set(keyOf(key), id);
    }
    return Object.fromEntries(keys.map((key) => [key, known.get(keyOf(key)) as string]));
  });
  return { picture, halves: given, fill, fullScale: 1, steps, facts: ids };
}

/** A blur that was taken from elsewhere: narrow, and not quite round. */
const KEPT = { from: "a star", side: 3, values: [0, 0.1, 0.05, 0.1, 0.5, 0.1, 0.05, 0.1, 0] };

/** Any value that a field takes; iterations and scales so few that the halo leaves something of this picture to be cropped. */
function valueOf(field: Field & { name: string }): fc.Arbitrary<unknown> {
  if (field.kind === "toggle") return fc.boolean();
  if (field.kind === "psf") return fc.constantFrom(null, KEPT);
  if (field.kind === "patches") return fc.constant(null);
  if (field.kind === "stars") return fc.constant([]);
  if (field.kind === "points")
    return fc.array(fc.tuple(fc.integer({ min: 0, max: SIZE.width }), fc.integer({ min: 0, max: SIZE.height })), {
      maxLength: Math.min(6, field.most),
    });
  // Haar wavelets take long: they have a test of their own.
  if (field.name === "waves") return fc.constant("starlets");
  if (field.kind === "choice") return fc.constantFrom(...field.options.map(({ value }) => value));
  const most =
    { iterations: Math.max(8, field.min + 2 * field.step), scales: 4, fwhmPx: 4, search: 5, radius: 6 }[field.name] ??
    field.max;
  return fc
    .integer({ min: 0, max: Math.floor((most - field.min) / field.step) })
    .map((n) => Number((field.min + n * field.step).toFixed(6)));
}

export const stepOf = (operation: AnyOperation): fc.Arbitrary<ChainStep> =>
  fc.record({
    operation: fc.constant(operation.id),
    version: fc.constant(operation.version),
    params: fc.record(Object.fromEntries(operation.parameters.fields.map((field) => [field.name, valueOf(field)]))),
    channels: fc.constantFrom(...operation.channels),
    blend: fc.constantFrom(1, 1, 0.6),
    on: fc.constant(true),
    mask: fc.constant(null),
  }) as fc.Arbitrary<ChainStep>;

export const REGIONS: Region[] = [
  { x: 120, y: 60, width: 64, height: 48 },
  { x: 0, y: 0, width: 50, height: 40 },
  { x: 215, y: 160, width: 45, height: 50 },
  { x: -20, y: 170, width: 90, height: 80 }, // across the border: cut at it
];

/** Transforms of other lengths round differently, by about this much of full scale … */
const ROUNDING = 2e-7;

/** … which a stretch that comes after them lifts by its steepest slope (1 where there is none). */
function steepest({ steps, facts: ids }: Treatment): number {
  const at = steps.findIndex(({ operation }) => operation === "stretch.arcsinh");
  if (at < 0 || !steps.slice(0, at).some(({ operation }) => operation.startsWith("deconvolve."))) return 1;
  const [levels] = facts.valuesOf(ids[at])["levels@together"] as LevelsFact[];
  const curves = stretchCurves(stretchParameters.schema.parse(steps[at].params), levels);
  return Math.max(...curves.map(({ a, black, white }) => a / (white - black) / Math.asinh(a)));
}

/** How far a crop may be off, as a share of the range: what a step rounds differently, one after it lifts, a sharpening one about threefold, one that decides what is a star up to sixfold. */
function usualBound(treatment: Treatment): number {
  const bounds = treatment.steps.map(({ operation }) => operationOf(operation).cropBound ?? CROP_BOUND);
  return (
    Math.max(
      bounds.reduce((sum, own) => 6 * sum + own, 0),
      ROUNDING,
    ) * steepest(treatment)
  );
}

/** The contract's: what the operations state, at least 1e-5. */
export const contractBound = ({ steps }: Treatment): number =>
  Math.max(
    1e-5,
    steps.reduce((sum, { operation }) => sum + (operationOf(operation).cropBound ?? CROP_BOUND), 0),
  );

const operationOf = (id: string) => findOperation(id) as AnyOperation;

/** Crops against the same pixels of the whole picture, at places and zooms. */
export async function check(
  steps: ChainStep[],
  zooms: readonly number[],
  { regions = REGIONS, boundOf = usualBound, contextOf = context } = {},
): Promise<void> {
  const treatment = await treatmentOf(steps);
  const whole = await runTask(crop, { treatment, region: wholeRegion(SIZE), reduce: 1 }, contextOf());
  const range = isStretched(steps) ? 1 : 0.5;
  const bound = boundOf(treatment);
  const bench = contextOf(); // one memory for all of them, as on the screen
  for (const [k, asked] of regions.entries())
    // What a zoom does to treated pixels is the same everywhere: it is tried in the middle and across the border.
    for (const reduce of k % 3 === 0 ? zooms : zooms.slice(0, 1)) {
      const x = Math.max(0, asked.x);
      const y = Math.max(0, asked.y);
      const region = {
        x,
        y,
        width: Math.min(SIZE.width, asked.x + asked.width) - x,
        height: Math.min(SIZE.height, asked.y + asked.height) - y,
      };
      const piece = await runTask(crop, { treatment, region: asked, reduce }, bench);
      const cut = cropRaster(whole, region);
      const expected = createRaster(Math.ceil(region.width / reduce), Math.ceil(region.height / reduce), 3);
      reduceInto(expected, cut, 0, 0, reduce);
      piece.planes.forEach((plane, c) =>
        expect(worstDifference(plane, expected.planes[c]) / range).toBeLessThan(bound),
      );
    }
}

/** What every operation is tried for, alone. */
export function checkOperation(operation: AnyOperation): void {
  test("with defaults", async () => {
    await check([newStep(operation)], [1, 3]);
  });

  test("with any settings and modes", async () => {
    await fc.assert(
      fc.asyncProperty(fc.tuple(stepOf(operation)), (steps) => check(steps, [1])),
      { numRuns: 1 },
    );
  });

  // The first mode is that of the defaults.
  for (const channels of operation.channels.slice(1) as ChannelMode[])
    test(channels, async () => {
      await check([{ ...newStep(operation), channels }], [1], { regions: [REGIONS[0], REGIONS[3]] });
    });
}
