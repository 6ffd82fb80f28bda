// When to stop, as the halves show it, against the truth.
import { quietJob } from "../job";
import { findOperation } from "../operations";
import type { AnyOperation } from "../operations";
import { wholeRegion } from "../raster";
import { FIELD_SIDE as SIDE } from "../testing/fields";
import { wasmKernels } from "../testing/fixtures";
import { asShown, hills } from "../testing/hills";
import type { ChainStep } from "./index";
import { measureChain, newStep, readySteps, runChain, stoppingCurve } from "./index";

const job = quietJob(wasmKernels());
const lucy = findOperation("deconvolve.richardson-lucy") as AnyOperation;

const stepOf = (fwhmPx: number, iterations: number): ChainStep => ({
  ...newStep(lucy),
  params: { ...lucy.parameters.defaults, psf: "typed", fwhmPx, iterations, smoothness: 0 },
});
test.each([
  [3, 2, 11],
  [3, 12, 31],
  [4, 5, 51],
  [2.6, 25, 71],
])(
  "a blur of %p px and noise of %p: the error at the number of iterations that the halves choose is within .2 dB of the least",
  async (fwhm, sigma, seed) => {
    const { input, truth } = hills(fwhm, sigma, seed);
    const step = stepOf(fwhm, 30);
    const curve = await stoppingCurve(input, [step], await measureChain(input, [step], job), 0, job);
    if (!curve || curve.best === null) throw new Error("no curve");
    const inside = [...truth.keys()].filter(
      (i) => Math.min(i % SIDE, SIDE - (i % SIDE), i / SIDE, SIDE - i / SIDE) > 30,
    );
    const errors: number[] = [];
    for (const iterations of curve.values) {
      const at = stepOf(fwhm, iterations);
      const ready = readySteps([at], await measureChain(input, [at], job));
      const { planes } = await runChain(input.picture, ready, wholeRegion(input.picture), [200], job);
      const shown = asShown(planes[0]);
      errors.push(inside.reduce((sum, i) => sum + (shown[i] - truth[i]) ** 2, 0));
    }
    const chosen = errors[curve.values.indexOf(curve.best)];
    expect(10 * Math.log10(chosen / Math.min(...errors))).toBeLessThan(0.2);
  },
);

test("without halves, for a step that is off, and for one that does not go on, there is no curve", async () => {
  const { input } = hills(3, 2, 11);
  const step = stepOf(3, 5);
  const facts = await measureChain(input, [step], job);
  expect(await stoppingCurve({ ...input, halves: null }, [step], facts, 0, job)).toBeNull();
  expect(await stoppingCurve(input, [{ ...step, on: false }], facts, 0, job)).toBeNull();
  const other = newStep(findOperation("noise.gaussian") as AnyOperation);
  expect(await stoppingCurve(input, [other], await measureChain(input, [other], job), 0, job)).toBeNull();
});
