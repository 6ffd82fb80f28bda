import { measureChain, newStep, readySteps, runChain } from "../chain";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import { frameOfRaster, rasterOf } from "../raster";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import type { HeldOut } from "./heldOut";
import { heldOutError, heldOutOf, leastError } from "./heldOut";

const job = quietJob(wasmKernels());
const SIDE = 256;

/** Soft gas with waves of some sizes and stars, by a seed. */
function scene(seed: number, sigma: number) {
  const { planes } = paintStars(SIDE, SIDE, randomStars(30, SIDE, SIDE, seed), { fwhm: 3, noise: 0, level: 0.02 });
  const truth = planes[0].map((v, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    return (
      v +
      0.004 * Math.sin(x / (6 + seed)) * Math.cos(y / 9) +
      0.006 * Math.exp(-((x - 130) ** 2 + (y - 90) ** 2) / 5000)
    );
  });
  const random = createRandom(seed + 40);
  const half = () => truth.map((v) => v + sigma * Math.SQRT2 * random.normal());
  const [a, b] = [half(), half()];
  const frame = (plane: Float32Array) => frameOfRaster(rasterOf(SIDE, SIDE, [plane]));
  const picture = frame(a.map((v, i) => (v + b[i]) / 2));
  return { truth, input: { picture, halves: { a: frame(a), b: frame(b) }, fill: [0.02], fullScale: 1 } };
}

const WIDTHS = [1, 1.5, 2, 2.5, 3, 4, 6];
const PLACE = { x: 16, y: 16, width: 224, height: 224 };

async function ready(input: ReturnType<typeof scene>["input"], fwhmPx: number) {
  const operation = findOperation("noise.gaussian");
  if (!operation) throw new Error("no operation");
  const fresh = newStep(operation);
  const steps = [{ ...fresh, params: { ...fresh.params, fwhmPx } }];
  return readySteps(steps, await measureChain(input, steps, job));
}

test.each([1, 2, 3, 4])(
  "scene %i: the width of least error is the one that the truth would choose, within 0.2 dB",
  async (seed) => {
    const { truth, input } = scene(seed, 0.0015 * seed);
    const [told, real]: [HeldOut[][], number[]] = [[], []];
    for (const width of WIDTHS) {
      const steps = await ready(input, width);
      const found = await heldOutOf(input, [], steps, PLACE, job);
      if (!found) throw new Error("no error told");
      told.push([found]);
      const [out] = (await runChain(input.picture, steps, PLACE, input.fill, job)).planes;
      let sum = 0;
      out.forEach((v, i) => {
        const at = (Math.floor(i / PLACE.width) + PLACE.y) * SIDE + (i % PLACE.width) + PLACE.x;
        sum += (v - truth[at]) ** 2;
      });
      real.push(sum / out.length);
    }
    const { best, alike } = leastError(told);
    const least = real.indexOf(Math.min(...real));
    expect(10 * Math.log10(real[best] / real[least])).toBeLessThan(0.2);
    // What the truth calls best is among those that the halves cannot tell from their own.
    expect(alike[least]).toBe(true);
    // And a treatment that is far worse is not.
    expect(alike[real.indexOf(Math.max(...real))]).toBe(false);
  },
);

test("errors of treatments that only chance parts are alike; one that is worse everywhere is not", () => {
  const random = createRandom(9);
  const place = (level: number): HeldOut => ({
    squares: Array.from({ length: 200 }, () => level + 0.1 * random.normal()),
    pixels: new Array<number>(200).fill(576),
  });
  const treatments = [[place(1.1)], [place(1)], [place(1.0)], [place(1.3)]];
  const { best, alike, errors } = leastError(treatments);
  expect([1, 2]).toContain(best);
  expect(alike).toEqual([false, true, true, false]);
  expect(errors[3]).toBeCloseTo(Math.sqrt(1.3), 1);
  expect(heldOutError([{ squares: [1, 4], pixels: [3, 1] }])).toBeCloseTo(Math.sqrt(7 / 4), 12);
});

test("no error is told without halves, nor of a step that takes blur away", async () => {
  const { input } = scene(1, 0.002);
  const steps = await ready(input, 2);
  expect(await heldOutOf({ ...input, halves: null }, [], steps, PLACE, job)).toBeNull();
  const sharp = findOperation("deconvolve.richardson-lucy");
  if (!sharp) throw new Error("no operation");
  const fresh = newStep(sharp);
  const chain = [{ ...fresh, params: { ...fresh.params, psf: "typed", fwhmPx: 3 } }];
  expect(await heldOutOf(input, [], readySteps(chain, await measureChain(input, chain, job)), PLACE, job)).toBeNull();
  // Nothing done: 1 + α² by definition.
  expect(heldOutError([(await heldOutOf(input, [], [], PLACE, job)) ?? { squares: [], pixels: [] }])).toBeCloseTo(
    Math.hypot(1, 0.25),
    6,
  );
});
