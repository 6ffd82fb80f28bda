import type { ChainInput } from "../../chain";
import { measureChain, newStep, readySteps } from "../../chain";
import { quietJob } from "../../job";
import { createRandom } from "../../numeric/random";
import { findOperation } from "../../operations";
import { frameOfRaster, meanPlane, rasterOf } from "../../raster";
import { createNight, truthRaster } from "../../simulate";
import { wasmKernels } from "../../testing/fixtures";
import { answersOf, areaUnderCurve, FORMS } from "../../testing/planted";
import { bootstrapLight, treatedBootstrap } from "./bootstrapResidual";
import { SIGNIFICANT, supportMaps } from "./support";
import { evidenceViews, wholeViews } from "./views";

/** Maps of lanes that take blur away, in a stack so deep that 6 σ are less than what such a lane is off by. Truth: the simulator's sky, and what is planted. */
const kernels = wasmKernels();
const job = quietJob(kernels);
const SIDE = 320;
/** σ of the darkest sky, share of full scale, and how its variance grows with light. */
const [SIGMA, GROWTH] = [1.2e-5, 1.7e-7];
const PLACE = { x: 64, y: 64, width: 192, height: 192 };
const sky = meanPlane(truthRaster(createNight({ subs: 1, seed: 17, width: SIDE, height: SIDE }), 3, kernels));

function deepStack(): ChainInput {
  const random = createRandom(9);
  const [a, b] = [0, 1].map(() =>
    sky.map((v) => v + Math.sqrt(2 * (SIGMA ** 2 + GROWTH * Math.max(0, v))) * random.normal()),
  );
  const frame = (plane: Float32Array) => frameOfRaster(rasterOf(SIDE, SIDE, [plane]));
  return {
    picture: frame(a.map((v, i) => (v + b[i]) / 2)),
    halves: { a: frame(a), b: frame(b) },
    fill: [0],
    fullScale: 1,
  };
}

async function ready(input: ChainInput, id: string, params: Record<string, unknown> = {}) {
  const operation = findOperation(id);
  if (!operation) throw new Error(id);
  const fresh = newStep(operation);
  const steps = [{ ...fresh, params: { ...fresh.params, ...params } }];
  return readySteps(steps, await measureChain(input, steps, job));
}

const flagged = (views: Parameters<typeof supportMaps>[0]) => {
  const maps = supportMaps(views, job);
  return maps ? maps.unsupported.filter((v) => v > SIGNIFICANT).length / maps.unsupported.length : NaN;
};

test.each([
  ["deconvolve.richardson-lucy", 0.9, 0.05],
  ["deconvolve.stars-apart", 0.8, 0.03],
])(
  "%s: in a very deep stack structure of 6 σ is flagged better once the lane was given its own answer",
  async (id, least, gain) => {
    const input = deepStack();
    const views = await evidenceViews(input, await ready(input, id), PLACE, job);
    const areas = (of: typeof views) =>
      [FORMS[0], FORMS[3]].flatMap(([, form]) => {
        const { unsupported, plainUnsupported, lost, plainLost } = answersOf(of, form, job).itself;
        return [areaUnderCurve(unsupported, plainUnsupported), areaUnderCurve(lost, plainLost)];
      });
    const mean = (of: number[]) => of.reduce((sum, v) => sum + v, 0) / of.length;
    const [now, before] = [mean(areas(views)), mean(areas({ ...views, byItself: null }))];
    expect(now).toBeGreaterThan(least);
    // By a share of the light alone, as in the first part of the evidence.
    expect(before).toBeLessThan(now - gain);
  },
  120_000,
);

test("what a lane has made up is in its own answer too, and stays flagged; so does a blur that is too wide", async () => {
  const input = deepStack();
  const steps = await ready(input, "deconvolve.richardson-lucy");
  const whole = await wholeViews(input, steps, PLACE, job);
  // A filament that no half shows, before the answer is made of the lane.
  const [, , [, filament]] = FORMS;
  const [px, py] = [whole.inside.x + 96, whole.inside.y + 30];
  const made = whole.told.map((v, i) => v + 3e-5 * filament((i % whole.width) - px, Math.floor(i / whole.width) - py));
  const at = py * whole.width + px;
  const [plain, planted] = await Promise.all(
    [whole, { ...whole, told: made }].map(
      async (of) =>
        supportMaps(await evidenceViews(input, steps, PLACE, job, { whole: of }), job)?.unsupported[at] ?? NaN,
    ),
  );
  expect(plain).toBeLessThan(SIGNIFICANT);
  expect(planted).toBeGreaterThan(2 * SIGNIFICANT);

  const tooWide = await ready(input, "deconvolve.richardson-lucy", {
    psf: "typed",
    fwhmPx: 4.5,
    iterations: 40,
    protectStars: 0,
  });
  const views = await evidenceViews(input, tooWide, PLACE, job);
  expect(flagged({ ...views, byItself: null })).toBeGreaterThan(0.1);
  expect(flagged(views)).toBeGreaterThan(0.9 * flagged({ ...views, byItself: null }));
});

test("there is an answer only where a lane was blurred again and nothing was stretched; it needs halves, and the light of its area", async () => {
  const input = deepStack();
  const steps = await ready(input, "deconvolve.richardson-lucy");
  const whole = await wholeViews(input, steps, PLACE, job);
  expect(bootstrapLight({ ...whole, blur: null })).toBeNull();
  expect(bootstrapLight({ ...whole, isLinear: false })).toBeNull();
  const light = bootstrapLight(whole);
  if (!light) throw new Error("no light");
  expect(light[5000]).toBeCloseTo(whole.told[5000] - whole.before[5000], 12);
  const smoothed = await evidenceViews(input, await ready(input, "noise.gaussian"), PLACE, job);
  expect(smoothed.byItself).toBeNull();
  await expect(treatedBootstrap({ ...input, halves: null }, steps, PLACE, light, job)).rejects.toThrow(
    "without halves",
  );
  await expect(treatedBootstrap(input, steps, PLACE, light.slice(1), job)).rejects.toThrow("not of that area");
});
