// The PSF as the stars show it, against painted stars of known shape; and stars that were left out.
import { measureFacts, newStep } from "../chain";
import type { ChainStep, FactKey } from "../chain";
import { keyOfFact } from "../chain";
import { quietJob } from "../job";
import { moffatTable } from "../measure";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import type { AnyOperation } from "../operations";
import { frameOfRaster, rasterOf } from "../raster";
import { wasmKernels } from "../testing/fixtures";
import type { PsfStarsFact } from "./psfStars";

const job = quietJob(wasmKernels());
const [WIDTH, HEIGHT] = [480, 400];
const SHAPE = { fwhmMajor: 3.4, fwhmMinor: 2.9, angle: 0.6, beta: 3.2 };

/** Stars on a grid, shaken, of one shape but for those whose index is odd. */
function picture(oddShape: typeof SHAPE | null = null) {
  const random = createRandom(4);
  const plane = Float32Array.from({ length: WIDTH * HEIGHT }, () => 100 + random.normal());
  const stars = Array.from({ length: 80 }, (_, k) => ({
    x: 30 + 46 * (k % 10) + 6 * random.uniform(),
    y: 30 + 44 * Math.floor(k / 10) + 6 * random.uniform(),
    heights: [150 + 1200 * random.uniform()],
  }));
  const isOdd = (k: number) => oddShape !== null && k % 5 === 0;
  for (const [shape, those] of [
    [SHAPE, stars.filter((_, k) => !isOdd(k))],
    [oddShape, stars.filter((_, k) => isOdd(k))],
  ] as const)
    if (shape)
      job.kernels.drawStars(
        { planes: [plane], width: WIDTH, height: HEIGHT, profiles: [moffatTable(shape)], least: [0] },
        those,
        1,
      );
  return { raster: rasterOf(WIDTH, HEIGHT, [plane]), stars, isOdd };
}

async function told(
  of: ReturnType<typeof picture>,
  dropped: [number, number][] = [],
): Promise<PsfStarsFact["channels"][number]> {
  const fresh = newStep(findOperation("deconvolve.stars-apart") as AnyOperation);
  const step: ChainStep = { ...fresh, params: { ...fresh.params, droppedStars: dropped } };
  const key: FactKey = keyOfFact("psfStars", step);
  const input = { picture: frameOfRaster(of.raster), halves: null, fill: [100], fullScale: 65535 };
  const found = await measureFacts(input, [step], [], 0, [key], job);
  return (found[key] as PsfStarsFact[])[0].channels[0];
}

test("width within 1.5 %, elongation, β within .03 in its inverse; the profile fits; every star is one that was painted", async () => {
  const of = picture();
  const psf = await told(of);
  if (!psf) throw new Error("no PSF");
  const { fwhmMajor, fwhmMinor, angle, beta } = psf.shape;
  expect(Math.sqrt(fwhmMajor * fwhmMinor) / Math.sqrt(3.4 * 2.9)).toBeGreaterThan(0.985);
  expect(Math.sqrt(fwhmMajor * fwhmMinor) / Math.sqrt(3.4 * 2.9)).toBeLessThan(1.015);
  expect(fwhmMajor / fwhmMinor).toBeCloseTo(3.4 / 2.9, 1);
  expect(angle).toBeCloseTo(0.6, 0);
  expect(Math.abs(1 / beta - 1 / 3.2)).toBeLessThan(0.03);
  expect(psf.residual).toBeLessThan(0.01);
  expect(psf.stars.length).toBeGreaterThan(40);
  for (const { x, y } of psf.stars)
    expect(Math.min(...of.stars.map((star) => Math.hypot(star.x - x, star.y - y)))).toBeLessThan(0.3);
  const half = psf.profile.find(({ r }) => r === 1.5);
  expect(Math.abs((half?.measured ?? 0) - (half?.fitted ?? 1))).toBeLessThan(0.02);
  expect(psf.mean[12 * 25 + 12]).toBeGreaterThan(0.85);
});

test("stars that were left out say nothing: the scatter of the others becomes theirs alone", async () => {
  const of = picture({ ...SHAPE, fwhmMajor: 5.5, fwhmMinor: 5 });
  const all = await told(of);
  const odd = of.stars.flatMap(({ x, y }, k): [number, number][] => (of.isOdd(k) ? [[x, y]] : []));
  const rest = await told(of, odd);
  expect((all?.stars.length ?? 0) - (rest?.stars.length ?? 0)).toBeGreaterThan(4);
  expect(Math.max(...(all?.stars.map(({ fwhmPx }) => fwhmPx) ?? []))).toBeGreaterThan(5);
  expect(Math.max(...(rest?.stars.map(({ fwhmPx }) => fwhmPx) ?? []))).toBeLessThan(3.6);
  expect(
    await told(
      of,
      of.stars.map(({ x, y }) => [x, y]),
    ),
  ).toBeNull();
});
