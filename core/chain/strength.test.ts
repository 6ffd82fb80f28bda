import { quietJob } from "../job";
import { findOperation } from "../operations";
import type { Raster } from "../raster";
import { frameOfRaster, wholeRegion } from "../raster";
import { exposed, smoothField } from "../testing/fields";
import { wasmKernels } from "../testing/fixtures";
import type { ChainStep } from "./index";
import { measureChain, newStep, readySteps, runChain, strengthCurve } from "./index";

const job = quietJob(wasmKernels());
const light = [0, 1, 2].map((c) => smoothField(3, 50 + c).map((v) => 60 + 12 * Math.exp(v / 2)));
const sigma = (v: number) => Math.sqrt(1 + 0.05 * v);
/** The same light twice: what differs between the two treated ones is the noise that is left. */
const [first, second] = [exposed(light, sigma, 61), exposed(light, sigma, 62)];

function stepOf(id: string, params: object): ChainStep {
  const operation = findOperation(id);
  if (!operation) throw new Error(`no operation ${id}`);
  return { ...newStep(operation), params: { ...operation.parameters.defaults, ...params } };
}

const inputOf = ({ picture, a, b }: typeof first) => ({
  picture: frameOfRaster(picture),
  halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
  fill: [0, 0, 0],
  fullScale: 1,
});

async function treated(of: typeof first, step: ChainStep): Promise<Raster> {
  const input = inputOf(of);
  const ready = readySteps([step], await measureChain(input, [step], job));
  return runChain(input.picture, ready, wholeRegion(of.picture), input.fill, job);
}

const deviation = (a: Raster, b: ArrayLike<number>[]) =>
  Math.sqrt(
    a.planes.reduce((sum, plane, c) => sum + plane.reduce((s, v, i) => s + (v - b[c][i]) ** 2, 0), 0) /
      (a.planes.length * a.width * a.height),
  );

test.each([
  ["noise.gaussian", { fwhmPx: 5 }],
  ["noise.starlet", {}],
  ["noise.mixture", {}],
])("%s: the figure of what remains, and the best strength, as the truth has them", async (id, params) => {
  const step = stepOf(id, params);
  const curve = await strengthCurve(inputOf(first), [step], await measureChain(inputOf(first), [step], job), 0, job);
  if (!curve) throw new Error("no curve");
  const { best } = curve;
  if (best === null) throw new Error("no best strength");
  expect(curve.leftDb[0]).toBeCloseTo(0, 6);
  for (const strength of [0.5, 1]) {
    const at = { ...step, params: { ...step.params, strength } };
    const [p, q] = [await treated(first, at), await treated(second, at)];
    const left = deviation(p, q.planes) / deviation(first.picture, second.picture.planes);
    const told = 10 ** (curve.leftDb[Math.round(10 * strength)] / 20);
    // A little more noise is not wholly treated in proportion where thresholds decide.
    expect(Math.abs(told / left - 1)).toBeLessThan(id === "noise.starlet" ? 0.1 : 0.05);
  }
  const errors = await Promise.all(
    curve.strengths.map(async (strength) =>
      deviation(await treated(first, { ...step, params: { ...step.params, strength } }), light),
    ),
  );
  const found = curve.strengths.reduce(
    (at, s, k) => (Math.abs(s - best) < Math.abs(curve.strengths[at] - best) ? k : at),
    0,
  );
  // No further from the least error than 0.2 dB.
  expect(20 * Math.log10(errors[found] / Math.min(...errors))).toBeLessThan(0.2);
  if (id === "noise.gaussian") expect(best).toBeLessThan(0.9);
});

test("without halves, and for a step that is off, there is no curve", async () => {
  const step = stepOf("noise.gaussian", {});
  const facts = await measureChain(inputOf(first), [step], job);
  expect(await strengthCurve({ ...inputOf(first), halves: null }, [step], facts, 0, job)).toBeNull();
  expect(await strengthCurve(inputOf(first), [{ ...step, on: false }], facts, 0, job)).toBeNull();
});

test("where there is nothing to take, no strength is called the best", async () => {
  const step = stepOf("noise.median", { threshold: 15 });
  const curve = await strengthCurve(inputOf(first), [step], await measureChain(inputOf(first), [step], job), 0, job);
  expect(curve?.best).toBeNull();
});

test("a step that is no mixture is run at each strength; what stands before it counts as its input", async () => {
  const steps = [stepOf("noise.gaussian", { fwhmPx: 2 }), stepOf("stretch.arcsinh", {})];
  const facts = await measureChain(inputOf(first), steps, job);
  const curve = await strengthCurve(inputOf(first), steps, facts, 1, job);
  expect(curve?.error.length).toBe(11);
});
