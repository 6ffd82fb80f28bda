import { decode } from "fast-png";
import { measureChain, newStep } from "@/core/chain";
import { writeFits } from "@/core/formats";
import { quietJob } from "@/core/job";
import { findOperation, type AnyOperation } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { createRaster, cropRaster, frameOfRaster, rasterBytes } from "@/core/raster";
import { compose, IDENTITY, inverse, linear, mapPoint, matrixAt, rotationAbout } from "@/core/register";
import { paintStars, randomStars, wasmKernels, worstDifference } from "@/core/testing/fixtures";
import { byteCache } from "../cache";
import { FactValues } from "../facts";
import { bytesOfBlob, createFrameStore, type FrameRef } from "../frames";
import { crop, type Treatment } from "./crop";
import { measureFacts } from "./facts";
import { measureCrop } from "./measureCrop";
import { encodePng, renderStrip } from "./render";
import { inspectPicture } from "@/core/compare";
import { tie } from "./tie";
import { measureSub, readFile, relate } from "./subs";
import { evidenceSource, evidenceWhole } from "./evidence";
import type { TaskContext } from "./task";
import { runTask } from "./task";

const stars = randomStars(30, 300, 240, 6);
const make = (seed: number, noise: number) =>
  paintStars(300, 240, stars, { channels: 3, seed, noise, tint: [1.2, 1, 0.8] });
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
const whole = make(1, 0.0003);
const picture = refOf("p", whole);
const halves = { a: refOf("a", make(2, 0.0003 * Math.SQRT2)), b: refOf("b", make(3, 0.0003 * Math.SQRT2)) };
const fill = [0.01, 0.01, 0.01];
const job = quietJob(wasmKernels());

const shelf = new FactValues();
let reads = 0;
const context = (): TaskContext => ({
  job,
  frames: createFrameStore((ref) => {
    if (ref.kind !== "blob") return Promise.reject(new Error("blobs only"));
    const bytes = bytesOfBlob(ref.name, ref.blob);
    return Promise.resolve({ ...bytes, read: (at, n) => (reads++, bytes.read(at, n)) });
  }, job.kernels),
  facts: shelf,
  cache: byteCache<Raster>(64 * 2 ** 20, rasterBytes),
});
const starlet = newStep(findOperation("noise.starlet") as AnyOperation);
const sharpen = newStep(findOperation("deconvolve.richardson-lucy") as AnyOperation);
const region = { x: 90, y: 70, width: 80, height: 60 };

async function treatmentOf(steps: Treatment["steps"]): Promise<Treatment> {
  const measured = await measureChain({ picture: frameOfRaster(whole), halves: null, fill, fullScale: 1 }, steps, job);
  const facts = measured.map((found, i) =>
    Object.fromEntries(
      Object.entries(found).map(([key, value]) => {
        const id = `${JSON.stringify(steps.slice(0, i))}${key}`;
        shelf.keep(id, value ?? []);
        return [key, id];
      }),
    ),
  );
  return { picture, halves, fill, fullScale: 1, steps, facts };
}

test("a crop without steps is the stored pixels", async () => {
  const out = await runTask(crop, { treatment: await treatmentOf([]), region, reduce: 1 }, context());
  out.planes.forEach((plane, c) => expect(worstDifference(plane, cropRaster(whole, region).planes[c])).toBe(0));
});

test("changing the last step reads and runs only the last step; an equal crop is taken from the cache", async () => {
  const bench = context();
  const treatment = await treatmentOf([starlet, sharpen]);
  await runTask(crop, { treatment, region, reduce: 1 }, bench);
  const before = reads;
  const changed = { ...treatment, steps: [starlet, { ...sharpen, params: { ...sharpen.params, iterations: 5 } }] };
  const fresh = await runTask(crop, { treatment: changed, region, reduce: 1 }, bench);
  expect(reads).toBe(before);
  const alone = await runTask(crop, { treatment: changed, region, reduce: 1 }, context());
  fresh.planes.forEach((plane, c) => expect(worstDifference(plane, alone.planes[c])).toBeLessThan(1e-7));
  expect(await runTask(crop, { treatment: changed, region, reduce: 1 }, bench)).toBe(fresh);
});

test("evidence of a chain whose last step changes runs only that, and is the same", async () => {
  const bench = context();
  const treatment = await treatmentOf([starlet, sharpen]);
  const changed = { ...treatment, steps: [starlet, { ...sharpen, params: { ...sharpen.params, iterations: 5 } }] };
  for (const source of ["plus", "a"] as const) {
    await runTask(evidenceSource, { treatment, region, source }, bench);
    const before = reads;
    const kept = await runTask(evidenceSource, { treatment: changed, region, source }, bench);
    expect(reads).toBe(before);
    const alone = await runTask(evidenceSource, { treatment: changed, region, source }, context());
    kept.planes.forEach((plane, c) => expect(worstDifference(plane, alone.planes[c])).toBeLessThan(1e-7));
  }
  await runTask(evidenceWhole, { treatment, region }, bench);
  const kept = await runTask(evidenceWhole, { treatment: changed, region }, bench);
  const alone = await runTask(evidenceWhole, { treatment: changed, region }, context());
  expect(worstDifference(kept.told, alone.told)).toBeLessThan(1e-7);
});

test("large regions and reduced ones are treated tile by tile, with the same pixels", async () => {
  const treatment = await treatmentOf([starlet]);
  const all = await runTask(crop, { treatment, region: { x: 0, y: 0, width: 300, height: 240 }, reduce: 3 }, context());
  expect([all.width, all.height]).toEqual([100, 80]);
  const part = await runTask(crop, { treatment, region: { x: 30, y: 30, width: 3, height: 3 }, reduce: 1 }, context());
  const mean = part.planes[1].reduce((a, b) => a + b, 0) / 9;
  expect(all.planes[1][10 * 100 + 10]).toBeCloseTo(mean, 6);
});

test("a strip of a render is the crop as FITS samples", async () => {
  const treatment = await treatmentOf([starlet]);
  const [bytes] = await runTask(renderStrip, { treatment, region: { x: 0, y: 70, width: 300, height: 60 } }, context());
  const view = new DataView(bytes.buffer);
  const expected = await runTask(crop, { treatment, region, reduce: 1 }, context());
  for (let y = 0; y < 60; y += 7)
    for (let x = 0; x < 80; x += 9)
      expect(view.getFloat32(4 * (y * 300 + 90 + x), false)).toBeCloseTo(expected.planes[0][y * 80 + x], 6);
});

test("measures: treated noise falls, halves are treated too, and a stretch leaves the linear sky level aside", async () => {
  const plain = await runTask(measureCrop, { treatment: await treatmentOf([]), region, skyLevel: 0.009 }, context());
  const smooth = await runTask(
    measureCrop,
    { treatment: await treatmentOf([starlet]), region, skyLevel: 0.009 },
    context(),
  );
  expect(plain.noiseFromHalves).toBeGreaterThan(0);
  expect(smooth.noiseFromHalves ?? 1).toBeLessThan(0.6 * (plain.noiseFromHalves ?? 0));
  expect(smooth.snrDb ?? 0).toBeGreaterThan(plain.snrDb ?? 0);
  const stretch = newStep(findOperation("stretch.arcsinh") as AnyOperation);
  const shown = await runTask(
    measureCrop,
    { treatment: await treatmentOf([stretch]), region, skyLevel: 0.9 },
    context(),
  );
  expect(shown.snrDb).not.toBeNull();
  // What a chain drives to black is counted, what was so before is not.
  const dark = { ...stretch, params: { ...stretch.params, black: 0 } };
  const cut = await runTask(measureCrop, { treatment: await treatmentOf([dark]), region, skyLevel: 0.9 }, context());
  expect([plain.clipped, (cut.clipped ?? 0) > 10]).toEqual([0, true]);
  const single = await runTask(
    measureCrop,
    { treatment: { ...(await treatmentOf([])), halves: null }, region, skyLevel: null },
    context(),
  );
  expect(single.noiseFromHalves).toBeNull();
});

test("measures: rings round stars are measured in a lane that sharpens; too wide a blur makes them", async () => {
  const all = { x: 50, y: 40, width: 200, height: 160 };
  const ringing = async (steps: Treatment["steps"]) =>
    (
      await runTask(
        measureCrop,
        { treatment: await treatmentOf(steps), region: all, skyLevel: 0.009, fwhmPx: 3 },
        context(),
      )
    ).ringing;
  expect(await ringing([starlet])).toBeNull();
  const typed = (fwhmPx: number) => ({
    ...sharpen,
    params: { ...sharpen.params, psf: "typed", fwhmPx, iterations: 40, protectStars: 0 },
  });
  const [right, wide] = [await ringing([typed(2.4)]), await ringing([typed(5)])];
  expect(wide ?? 0).toBeGreaterThan(0.3);
  expect(right ?? 1).toBeLessThan(0.5 * (wide ?? 0));
});

test("facts measured in a worker are those measured here", async () => {
  const treatment = { picture, halves: null, fill, fullScale: 1, steps: [starlet], facts: [] };
  const made = await runTask(
    measureFacts,
    { treatment, index: 0, keys: ["noiseModel@together", "psf@together"] },
    context(),
  );
  const here = await measureChain({ picture: frameOfRaster(whole), halves: null, fill, fullScale: 1 }, [starlet], job);
  expect(made).toEqual(here[0]);
});

test("a crop onto another grid shows each place where the warp takes it, reduced or not, after its treatment", async () => {
  const smooth = createRaster(300, 240, 1);
  const value = (x: number, y: number) => 0.2 + 0.1 * Math.sin(x / 25) * Math.cos(y / 30);
  for (let y = 0, i = 0; y < 240; y++) for (let x = 0; x < 300; x++, i++) smooth.planes[0][i] = value(x, y);
  const treatment = { picture: refOf("s", smooth), halves: null, fill: [0], fullScale: 1, steps: [], facts: [] };
  const onto = compose(rotationAbout(0.5, 150, 120, 4, 3), linear([0.5, 0, 40, 0, 0.5, 20]));
  const back = inverse(onto);
  for (const reduce of [1, 4]) {
    const at = { x: 96, y: 80, width: 60, height: 40 };
    const out = await runTask(crop, { treatment, region: at, reduce, onto }, context());
    expect([out.width, out.height]).toEqual([60 / reduce, 40 / reduce]);
    const half = (reduce - 1) / 2;
    for (const [x, y] of [
      [2, 2],
      [10, 6],
    ]) {
      const [u, v] = mapPoint(back, at.x + x * reduce + half, at.y + y * reduce + half);
      expect(out.planes[0][y * out.width + x]).toBeCloseTo(value(u, v), reduce === 1 ? 4 : 2);
    }
  }
  const beyond = await runTask(
    crop,
    { treatment, region: { x: 5000, y: 0, width: 9, height: 9 }, reduce: 1, onto },
    context(),
  );
  expect(beyond.planes[0].every(Number.isNaN)).toBe(true);
});

/** The picture looked over. */
async function inspected() {
  const { frames, job } = context();
  return inspectPicture(await frames.open(picture), null, await frames.unit(picture), job);
}

test("pictures are tied by their stars, at any turn and scale; those of another field are not", async () => {
  const { starList } = await inspected();
  expect(starList.length).toBeGreaterThan(20);
  const turn = rotationAbout(0.7, 150, 120, 12, -30);
  const half = starList.map((star) => {
    const [x, y] = mapPoint(turn, star.x, star.y);
    return { ...star, x: x / 2, y: y / 2 };
  });
  const found = await runTask(tie, { stars: starList, to: half }, context());
  if (!found) throw new Error("not tied");
  const expected = turn.matrix.map((v) => v / 2);
  matrixAt(found, 0, 0).forEach((v, i) => expect(Math.abs(v - expected[i])).toBeLessThan(i % 3 === 2 ? 0.02 : 1e-4));
  const other = randomStars(30, 300, 240, 77).map(({ x, y, flux }) => ({ x, y, flux, snr: 50, saturated: false }));
  expect(await runTask(tie, { stars: starList, to: other }, context())).toBeNull();
});

test("a PNG is as the display shows it: the sky at its brightness, or values as they are", async () => {
  const facts = await inspected();
  const shownBy = { display: { curve: "arcsinh", params: { sky: 0.2, black: 2 } }, levels: facts.stretch };
  const png = decode(await runTask(encodePng, { picture, depth: 16, shownBy, text: { Title: "t" } }, context()), {
    checkCrc: true,
  });
  const greens = Array.from({ length: 300 * 240 }, (_, i) => png.data[3 * i + 1]).sort((a, b) => a - b);
  expect(greens[greens.length >> 1] / 65535).toBeCloseTo(0.2, 1);
  const plain = decode(await runTask(encodePng, { picture, depth: 8, shownBy: null, text: {} }, context()));
  expect(plain.data[1]).toBe(Math.round(whole.planes[1][0] * 255));
});

test("a file's header is read, a sub is measured, and related to another by its stars", async () => {
  expect(await runTask(readFile, { frame: picture }, context())).toMatchObject({
    format: "fits",
    frames: 1,
    width: 300,
    height: 240,
    channels: 3,
    bitpix: -32,
    pixelScale: null,
    randomAccess: true,
  });
  const reading = await runTask(measureSub, { frame: picture }, context());
  expect(reading.stars.length).toBeGreaterThan(25);
  const own = { id: "a", measures: reading.measures, stars: reading.stars };
  const dim = { ...own, id: "b", stars: reading.stars.map((star) => ({ ...star, flux: star.flux * 0.8 })) };
  expect((await runTask(relate, { sub: dim, reference: own }, context()))?.scale).toBeCloseTo(1 / 0.8, 6);
  expect((await runTask(relate, { sub: own, reference: own }, context()))?.toReference).toEqual(IDENTITY);
  expect(
    await runTask(relate, { sub: { ...dim, stars: dim.stars.slice(0, 3) }, reference: own }, context()),
  ).toBeNull();
});
