import { measureChain, newStep, readySteps, runChain } from "../chain";
import { quietJob } from "../job";
import { createRandom } from "../numeric/random";
import { findOperation } from "../operations";
import { frameOfRaster, rasterOf } from "../raster";
import { paintStars, randomStars, wasmKernels } from "../testing/fixtures";
import { FIELD_SIDE } from "../testing/fields";
import { asShown, hills } from "../testing/hills";
import type { HeldOut } from "./heldOut";
import { heldOutError, heldOutOf, leastError } from "./heldOut";

const job = quietJob(wasmKernels());
const SIDE = FIELD_SIDE;

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
    // What the truth calls best is among those that the halves cannot distinguish from their own.
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
    against: "",
  });
  const treatments = [[place(1.1)], [place(1)], [place(1.0)], [place(1.3)]];
  const { best, alike, errors } = leastError(treatments);
  expect([1, 2]).toContain(best);
  expect(alike).toEqual([false, true, true, false]);
  expect(errors[3]).toBeCloseTo(Math.sqrt(1.3), 1);
  expect(heldOutError([{ squares: [1, 4], pixels: [3, 1], against: "" }])).toBeCloseTo(Math.sqrt(7 / 4), 12);
});

const restored = async (input: ReturnType<typeof hills>["input"], operation: string, params: object, blend = 1) => {
  const found = findOperation(operation);
  if (!found) throw new Error("no operation");
  const chain = [{ ...newStep(found), params: { ...found.parameters.defaults, psf: "typed", ...params }, blend }];
  return readySteps(chain, await measureChain(input, chain, job));
};

// Whose number of iterations: also in core/chain/stopping.test.ts.
test.each([
  [3, 2, 11],
  [2.6, 25, 71],
])(
  "a blur of %p px taken away in noise of %p: the number of iterations and the blend of least error are those that the truth would choose, within 0.2 dB",
  async (fwhmPx, sigma, seed) => {
    const { input, truth } = hills(fwhmPx, sigma, seed);
    const place = { x: 32, y: 32, width: 192, height: 192 };
    const whole = { x: 0, y: 0, width: SIDE, height: SIDE };
    const ladders = [
      [2, 5, 20, 80].map((iterations) => ({ iterations, blend: 1 })),
      [0, 0.5, 0.75, 1].map((blend) => ({ iterations: 50, blend })),
    ];
    for (const rungs of ladders) {
      const [told, real]: [HeldOut[][], number[]] = [[], []];
      for (const { iterations, blend } of rungs) {
        const steps = await restored(input, "deconvolve.richardson-lucy", { fwhmPx, iterations, smoothness: 0 }, blend);
        const found = await heldOutOf(input, [], steps, place, job);
        if (!found) throw new Error("no error told");
        told.push([found]);
        const shown = asShown((await runChain(input.picture, steps, whole, input.fill, job)).planes[0]);
        let sum = 0;
        for (let y = place.y; y < place.y + place.height; y++)
          for (let i = y * SIDE + place.x; i < y * SIDE + place.x + place.width; i++) sum += (shown[i] - truth[i]) ** 2;
        real.push(sum / (place.width * place.height * sigma * sigma));
      }
      const { best, alike, errors } = leastError(told);
      const least = real.indexOf(Math.min(...real));
      expect(10 * Math.log10(real[best] / real[least])).toBeLessThan(0.2);
      expect(alike[least]).toBe(true);
      // Not only in order: in σ of the noise they are the truth's to a fifth.
      errors.forEach((error, k) => expect(Math.abs(error / Math.sqrt(real[k]) - 1)).toBeLessThan(0.2));
      expect(new Set(told.map(([{ against }]) => against)).size).toBe(1);
    }
    // Held against another filter, errors do not compare.
    const wider = await restored(input, "deconvolve.richardson-lucy", { fwhmPx: fwhmPx + 0.5 });
    const [one, other] = [
      await heldOutOf(input, [], wider, place, job),
      await heldOutOf(input, [], await restored(input, "deconvolve.richardson-lucy", { fwhmPx }), place, job),
    ];
    expect(one?.against).not.toBe(other?.against);
  },
);

test("no error is measured without halves, nor of two steps of which one takes blur away", async () => {
  const { input } = scene(1, 0.002);
  const steps = await ready(input, 2);
  expect(await heldOutOf({ ...input, halves: null }, [], steps, PLACE, job)).toBeNull();
  const sharp = await restored(input, "deconvolve.richardson-lucy", { fwhmPx: 3 });
  expect(await heldOutOf(input, [], [...sharp, ...steps], PLACE, job)).toBeNull();
  // Nothing done: 1 + α² by definition.
  expect(
    heldOutError([(await heldOutOf(input, [], [], PLACE, job)) ?? { squares: [], pixels: [], against: "" }]),
  ).toBeCloseTo(Math.hypot(1, 0.25), 6);
});
