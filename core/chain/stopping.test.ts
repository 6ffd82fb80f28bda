// When to stop, as the halves tell it, against the truth.
import { quietJob } from "../job";
import type { Psf } from "../kernels";
import { roundPsf } from "../measure";
import { findOperation } from "../operations";
import type { AnyOperation } from "../operations";
import { cropRaster, frameOfRaster, mirrored, rasterOf, wholeRegion } from "../raster";
import { exposed, FIELD_SIDE as SIDE, smoothField } from "../testing/fields";
import { wasmKernels } from "../testing/fixtures";
import type { ChainStep } from "./index";
import { measureChain, newStep, readySteps, runChain, stoppingCurve } from "./index";

const kernels = wasmKernels();
const job = quietJob(kernels);
const lucy = findOperation("deconvolve.richardson-lucy") as AnyOperation;

/** A plane through a PSF, mirrored beyond its border. */
function seen(plane: Float32Array, psf: Psf): Float32Array {
  const { grown, pitch, rows } = mirrored(plane, SIDE, SIDE, 24);
  const out = rasterOf(pitch, rows, [kernels.convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: 24, y: 24, width: SIDE, height: SIDE }).planes[0];
}

/** Hills of all sizes, blurred by a Moffat, in noise of σ; the truth as stars of 1.8 px show it. */
function scene(fwhm: number, sigma: number, seed: number) {
  const octaves = [0.8, 1.6, 3.2, 6.4, 12.8].map((px, k) => smoothField(px, seed + k).map((v) => 8 * px ** 0.5 * v));
  const light = Float32Array.from({ length: SIDE * SIDE }, (_, i) => octaves.reduce((sum, of) => sum + of[i], 200));
  const [blurred, truth] = [roundPsf(fwhm, 3), roundPsf(1.8, 3, 20)].map((psf) => seen(light, psf));
  return { of: exposed([blurred], () => sigma, seed + 100), truth };
}

const stepOf = (fwhmPx: number, iterations: number): ChainStep => ({
  ...newStep(lucy),
  params: { ...lucy.parameters.defaults, psf: "typed", fwhmPx, iterations, smoothness: 0 },
});
const inputOf = ({ picture, a, b }: ReturnType<typeof scene>["of"]) => ({
  ...{ picture: frameOfRaster(picture), halves: { a: frameOfRaster(a), b: frameOfRaster(b) } },
  ...{ fill: [200], fullScale: 65535 },
});

test.each([
  [3, 2, 11],
  [3, 12, 31],
  [4, 5, 51],
  [2.6, 25, 71],
])(
  "a blur of %p px and noise of %p: the error at the number of iterations that the halves choose is within .2 dB of the least",
  async (fwhm, sigma, seed) => {
    const { of, truth } = scene(fwhm, sigma, seed);
    const input = inputOf(of);
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
      const { planes } = await runChain(input.picture, ready, wholeRegion(of.picture), [200], job);
      const shown = seen(planes[0], roundPsf(1.8, 3, 20));
      errors.push(inside.reduce((sum, i) => sum + (shown[i] - truth[i]) ** 2, 0));
    }
    const chosen = errors[curve.values.indexOf(curve.best)];
    expect(10 * Math.log10(chosen / Math.min(...errors))).toBeLessThan(0.2);
  },
);

test("without halves, for a step that is off, and for one that does not go on, there is no curve", async () => {
  const { of } = scene(3, 2, 11);
  const step = stepOf(3, 5);
  const facts = await measureChain(inputOf(of), [step], job);
  expect(await stoppingCurve({ ...inputOf(of), halves: null }, [step], facts, 0, job)).toBeNull();
  expect(await stoppingCurve(inputOf(of), [{ ...step, on: false }], facts, 0, job)).toBeNull();
  const other = newStep(findOperation("noise.gaussian") as AnyOperation);
  expect(await stoppingCurve(inputOf(of), [other], await measureChain(inputOf(of), [other], job), 0, job)).toBeNull();
});
