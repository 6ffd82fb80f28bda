import { calibrationSettings, MASTER_SETTINGS } from "@/core/calibrate";
import { factsNeeded, newStep } from "@/core/chain";
import { findOperation, type AnyOperation } from "@/core/operations";
import { createRaster } from "@/core/raster";
import { IDENTITY } from "@/core/register";
import { createNight, createVideo, subFile, videoFile, videoSettings } from "@/core/simulate";
import { joinBytes, writePng } from "@/core/formats";
import { levelMesh, stackSettings } from "@/core/stack";
import { paintStars, randomStars, wasmKernels } from "@/core/testing/fixtures";
import { bootstrapLight } from "@/core/compare";
import { NO_MASTERS, withCalibration } from "../calibration";
import type { StepFactIds } from "../facts";
import { WorkerPool } from "../pool";
import { blobRef, rasterRef, workersInThread } from "../testing";
import type { Treatment } from "./crop";
import type { PayloadOf, ResultOf, TaskName } from "./registry";
import { TASKS } from "./registry";

/*
 * What a worker keeps is never given away: every task is asked twice for the same through the real message channel, with
 * another question between, and answers the same both times, with nothing empty.
 */

const workers = workersInThread();
afterAll(workers.close);
const pool = new WorkerPool(1, workers.open);
const kernels = wasmKernels();

const [width, height] = [180, 150];
const stars = randomStars(24, width, height, 6);
// One channel: its mean over channels may be the very plane that a memory keeps.
const painted = (seed: number, noise: number) => paintStars(width, height, stars, { seed, noise });
const picture = rasterRef("p", painted(1, 0.0003));
const halves = { a: rasterRef("a", painted(2, 0.0004)), b: rasterRef("b", painted(3, 0.0004)) };
const subject = { picture, halves, fill: [0.01], fullScale: 1 };
const region = { x: 40, y: 30, width: 96, height: 80 };
const shape = { fwhmPx: 3, beta: 3.5 };
const shownBy = {
  display: { curve: "arcsinh", params: { sky: 0.2, black: 2 } },
  levels: { level: [0.01], sigma: [0.0003], white: 1 },
};

const step = (id: string, params: Record<string, unknown>) => {
  const fresh = newStep(findOperation(id) as AnyOperation);
  return { ...fresh, params: { ...fresh.params, ...params } };
};

async function ready(steps: Treatment["steps"]): Promise<Treatment> {
  const facts: StepFactIds[] = [];
  for (const [index] of steps.entries()) {
    const keys = factsNeeded(steps[index]);
    const found = await pool.run("measureFacts", { treatment: { ...subject, steps, facts }, index, keys });
    facts.push(Object.fromEntries(keys.map((key) => [key, pool.keep(found[key] ?? [])])));
  }
  return { ...subject, steps, facts };
}

const starlet = (strength: number) => ready([step("noise.starlet", { strength })]);
const lucy = (iterations: number) => ready([step("deconvolve.richardson-lucy", { iterations })]);

/** A night of three subs with its plan, made once. */
let made: ReturnType<typeof makeNight> | null = null;
const night = () => (made ??= makeNight());

async function makeNight() {
  const sky = createNight({ subs: 3, seed: 3, width, height });
  const frames = sky.subs.map(({ index }) => blobRef(`n${index}`, subFile(sky, index, kernels)));
  const subs = [];
  for (const frame of frames)
    subs.push({ id: frame.id, name: frame.name, exposureS: 120, ...(await pool.run("measureSub", { frame })) });
  const settings = stackSettings.parse({ normalise: "photometric" });
  const plan = await pool.run("plan", { subs, settings });
  return {
    frames,
    subs,
    settings,
    plan,
    keptPlan: pool.keepForJobs(plan),
    keptFrames: pool.keepForJobs(frames),
    strip: { x: 0, y: 0, width: plan.width, height: 40 },
  };
}

async function evidenceParts(treatment: Treatment) {
  const whole = await pool.run("evidenceWhole", { treatment, region });
  const light = bootstrapLight(whole) ?? new Float32Array(whole.width * whole.height);
  return { whole, light };
}

const flat = (id: string, level: number) => {
  const raster = createRaster(width, height, 1);
  raster.planes[0].forEach((_, i) => (raster.planes[0][i] = level + (i % 7) * 1e-4 + (i === 5000 ? 0.5 : 0)));
  return rasterRef(id, raster);
};
const png = blobRef("png", writePng(painted(4, 0.0003), 16, {}), "p.png");
const video = blobRef(
  "v",
  joinBytes([...videoFile(createVideo(videoSettings.parse({ frames: 4, seed: 3, width: 96, height: 96 })), kernels)]),
  "v.ser",
);
const raw = (demosaic: "limited" | "superpixel") =>
  withCalibration(picture, {
    ...NO_MASTERS,
    settings: calibrationSettings.parse({ demosaic, hotSigma: 0 }),
    pattern: "RGGB",
  });

/** A question, and another that lies between its two askings. */
const QUESTIONS: { [N in TaskName]: () => Promise<[PayloadOf<N>, PayloadOf<N>]> } = {
  blurOfFile: async () => [{ frame: rasterRef("star", painted(5, 0.0001)) }, { frame: halves.a }],
  calibrateLight: async () => [{ frame: raw("limited") }, { frame: raw("superpixel") }],
  convert: async () => [
    { frame: picture, to: "tiff" },
    { frame: png, to: "fits" },
  ],
  copyStrip: async () => {
    const of = { frame: picture, factor: 0.5, resampling: "lanczos3" as const };
    return [
      { ...of, region: { x: 0, y: 0, width: 90, height: 20 } },
      { ...of, region: { x: 0, y: 20, width: 90, height: 20 } },
    ];
  },
  crop: async () => [
    { treatment: await starlet(1), region, reduce: 1 },
    { treatment: await starlet(0.5), region, reduce: 1 },
  ],
  cropPng: async () => [
    { treatment: await starlet(1), region, reduce: 1, shownBy },
    { treatment: await starlet(0.5), region, reduce: 1, shownBy },
  ],
  defects: async () => [
    { dark: flat("dark", 0.1), pattern: null, kSigma: 5 },
    { dark: flat("dark", 0.1), pattern: "RGGB", kSigma: 4 },
  ],
  dither: async () => {
    const { keptPlan: plan, settings } = await night();
    return [
      { plan, settings, lattice: 1 },
      { plan, settings, lattice: 2 },
    ];
  },
  drizzleStrip: async () => {
    const { keptPlan: plan, keptFrames, settings, frames } = await night();
    const of = { frames: keptFrames, first: frames[0], plan, settings: { ...settings, drizzle: "1.5" as const } };
    return [
      { ...of, region: { x: 0, y: 0, width: 270, height: 24 } },
      { ...of, region: { x: 0, y: 24, width: 270, height: 24 } },
    ];
  },
  encodePng: async () => [
    { picture, depth: 8, shownBy, text: {} },
    { picture: png, depth: 16, shownBy: null, text: {} },
  ],
  equalPart: async () => {
    const of = { treatment: await starlet(1), index: 0, region, measure: { of: "noise" as const, scale: null } };
    return [
      { ...of, strength: 1 },
      { ...of, strength: 0.5 },
    ];
  },
  evidence: async () => {
    const [one, other] = [await lucy(10), await lucy(5)];
    return [
      { treatment: one, region, shape, made: { whole: (await evidenceParts(one)).whole } },
      { treatment: other, region, shape },
    ];
  },
  evidenceAnswer: async () => {
    const [one, other] = [await lucy(10), await lucy(5)];
    return [
      { treatment: one, region, light: (await evidenceParts(one)).light },
      { treatment: other, region, light: (await evidenceParts(other)).light },
    ];
  },
  evidenceSource: async () => [
    { treatment: await starlet(1), region, source: "plus" },
    { treatment: await starlet(0.5), region, source: "plus" },
  ],
  evidenceWhole: async () => [
    { treatment: await starlet(1), region },
    { treatment: await starlet(0.5), region },
  ],
  support: async () => [
    { treatment: await starlet(1), region, shape },
    { treatment: await starlet(0.5), region, shape },
  ],
  flip: async () => {
    const of = { relation: null, size: { width, height }, region, reduce: 1 };
    return [
      { ...of, frame: png },
      { ...of, frame: picture },
    ];
  },
  hashFile: async () => [{ frame: picture }, { frame: png }],
  heldOut: async () => [
    { treatment: await starlet(1), from: 0, to: 0, region },
    { treatment: await starlet(0.5), from: 0, to: 0, region },
  ],
  histogram: async () => {
    const range = { from: 0, to: 0.1, bins: 64, spacing: "linear" as const };
    return [
      { treatment: await starlet(1), region, range, before: 0 },
      { treatment: await starlet(0.5), region: null, range, before: 0 },
    ];
  },
  inspectShare: async () => [
    { picture, halves, tiles: [region] },
    { picture: png, halves: null, tiles: [region] },
  ],
  inspectWhole: async () => [
    { picture, tiles: await pool.run("inspectShare", { picture, halves, tiles: [region] }) },
    { picture: png, tiles: await pool.run("inspectShare", { picture: png, halves: null, tiles: [region] }) },
  ],
  joinStrip: async () => {
    const part = { toGrid: IDENTITY, scale: 1, offset: 0 };
    const parts = [picture, halves.a, halves.b].map((frame) => ({ frame, part }));
    const of = { parts, grid: { width, height } };
    return [
      { ...of, region: { x: 0, y: 0, width, height: 20 } },
      { ...of, region: { x: 0, y: 20, width, height: 20 } },
    ];
  },
  laneMeasures: async () => [
    { treatment: await starlet(1), region, shape, skyLevel: 0.01 },
    { treatment: await starlet(0.5), region, shape, skyLevel: 0.01 },
  ],
  levelRow: async () => {
    const { plan, keptPlan, keptFrames, frames } = await night();
    const settings = stackSettings.parse({ normalise: "local" });
    expect(levelMesh(plan, settings).rows).toBeGreaterThan(0);
    return [
      { frames: keptFrames, plan: keptPlan, settings, row: 0 },
      { frames: pool.keepForJobs([...frames].reverse()), plan: keptPlan, settings, row: 0 },
    ];
  },
  master: async () => {
    const of = { offset: null, pattern: null, settings: MASTER_SETTINGS, cards: [] };
    const frames = [1, 2, 3].map((k) => flat(`d${k}`, 0.1 * k));
    return [
      { ...of, kind: "dark", frames },
      { ...of, kind: "bias", frames: frames.slice(0, 2) },
    ];
  },
  measurePatches: async () => {
    const relation = { toReference: IDENTITY, residualPx: 0, pairs: 9, scale: 1, offset: [{ level: 0, dx: 0, dy: 0 }] };
    const of = { relation, size: { width, height }, patches: [{ id: "sky", x: 60, y: 60, side: 32 }] };
    return [
      { ...of, frame: png },
      { ...of, frame: picture },
    ];
  },
  measureCrop: async () => [
    { treatment: await starlet(1), region, skyLevel: 0.01 },
    { treatment: await starlet(0.5), region, skyLevel: 0.01 },
  ],
  measureFacts: async () => {
    const treatment = { ...subject, steps: [], facts: [] };
    return [
      { treatment, index: 0, keys: ["noise@together", "psfStars@together", "noiseModel@together"] },
      { treatment: { ...treatment, halves: null }, index: 0, keys: ["noise@together"] },
    ];
  },
  measureLevels: async () => [{ frame: png }, { frame: picture }],
  measureSub: async () => [{ frame: png }, { frame: picture }],
  measureVideo: async () => [
    { file: video, from: 0, to: 2 },
    { file: video, from: 2, to: 4 },
  ],
  plan: async () => {
    const { subs, settings } = await night();
    return [
      { subs, settings },
      { subs: subs.slice(0, 2), settings },
    ];
  },
  readFile: async () => [{ frame: png }, { frame: video }],
  relate: async () => {
    const { subs } = await night();
    return [
      { sub: subs[1], reference: subs[0] },
      { sub: subs[2], reference: subs[0] },
    ];
  },
  renderStrip: async () => [
    { treatment: await starlet(1), region: { x: 0, y: 20, width, height: 40 } },
    { treatment: await starlet(0.5), region: { x: 0, y: 20, width, height: 40 } },
  ],
  skyReadout: async () => {
    const patches = [{ id: "sky", x: 60, y: 60, side: 32 }];
    return [
      { treatment: await starlet(1), index: 0, patches },
      { treatment: await starlet(0.5), index: 0, patches },
    ];
  },
  stackStrip: async () => {
    const { keptPlan: plan, keptFrames: frames, settings, strip } = await night();
    const of = { frames, plan, settings, budgetBytes: 2 ** 26 };
    return [
      { ...of, region: strip },
      { ...of, region: { ...strip, y: 40 } },
    ];
  },
  stoppingCurve: async () => [
    { treatment: await lucy(10), index: 0 },
    { treatment: { ...(await lucy(10)), halves: null }, index: 0 },
  ],
  strengthCurve: async () => [
    { treatment: await starlet(1), index: 0 },
    { treatment: await ready([step("noise.gaussian", {})]), index: 0 },
  ],
  readUnit: async () => [
    { frame: png, look: true },
    { frame: picture, look: false },
  ],
  tie: async () => {
    const { subs } = await night();
    return [
      { stars: subs[0].stars, to: subs[1].stars },
      { stars: subs[1].stars, to: subs[0].stars },
    ];
  },
  unpack: async () => [{ frame: png }, { frame: blobRef("png2", writePng(painted(6, 0.0003), 8, {}), "q.png") }],
};

/** Values as text, typed arrays as they are; what only says how long it took is left out. Throws for a typed array of length 0. */
function content(value: unknown, at = "result"): unknown {
  if (ArrayBuffer.isView(value)) {
    const { length } = value as Uint8Array;
    if (length === 0) throw new Error(`${at} is empty`);
    return [at, ...(value as Uint8Array)];
  }
  if (Array.isArray(value)) return value.map((own, i) => content(own, `${at}[${i}]`));
  if (typeof value !== "object" || value === null) return Number.isNaN(value) ? "NaN" : value;
  return Object.entries(value).map(([key, own]) => (/seconds/i.test(key) ? null : content(own, `${at}.${key}`)));
}

// Parts of these may well hold nothing: cold pixels of a dark, blocks of rejected samples where drops fell.
const MAY_BE_EMPTY = new Set<TaskName>(["defects", "drizzleStrip"]);

test.each(Object.keys(TASKS) as TaskName[])("%s answers the same again after another question", async (name) => {
  const ask = async <N extends TaskName>(task: N): Promise<[ResultOf<N>, ResultOf<N>, ResultOf<N>]> => {
    const [one, other] = await QUESTIONS[task]();
    return [await pool.run(task, one), await pool.run(task, other), await pool.run(task, one)];
  };
  const [first, between, again] = await ask(name);
  const textOf = (result: unknown) => {
    if (MAY_BE_EMPTY.has(name)) return JSON.stringify(result);
    return JSON.stringify(content(result));
  };
  expect(first).not.toBeUndefined();
  expect(textOf(again) === textOf(first)).toBe(true);
  expect(textOf(between) === textOf(first)).toBe(false);
});
