// Resampling and combining beside OpenCV and numpy on one thread, on arrays of the same sizes: theirs is timed before and after ours, and the better counts.
// npm run -s bench -- stacking. Without Debian's python3-opencv only our own times are printed.
import { spawnSync } from "node:child_process";
import * as z from "zod";
import { rejectorOf } from "@/core/combine";
import { createRandom } from "@/core/numeric/random";
import { createRaster, rasterOf, wholeRegion } from "@/core/raster";
import type { ResamplingKernel } from "@/core/register";
import { linear, resample } from "@/core/register";
import { kernels } from "./lib/truth";

const SIDE = 1024;
const random = createRandom(1);
const noise = (count: number): Float32Array => Float32Array.from({ length: count }, () => 10 + random.normal());
const picture = rasterOf(SIDE, SIDE, [noise(SIDE * SIDE)]);
const LAYERS = 30;
const PIXELS = 256 * 256;
const cube = noise(LAYERS * PIXELS);
const weights = new Float64Array(LAYERS).fill(1);
const flat = { curvature: new Float32Array(PIXELS), slope: new Float32Array(PIXELS) };
const room = new Float32Array(cube.length);
/** From the picture to where it is wanted: the inverse of the reference's matrix. */
const warp = linear([1, 0.001, -3.3, -0.001, 1, -2.2]);

function best(rounds: number, work: () => void): number {
  let least = Infinity;
  for (let round = 0; round < rounds; round++) {
    const started = performance.now();
    work();
    least = Math.min(least, (performance.now() - started) / 1000);
  }
  return least;
}

const reference = z.object({ lanczos4: z.number(), bicubic: z.number(), kappaSigma: z.number(), copy: z.number() });

function measureReference(): z.infer<typeof reference> | null {
  const run = spawnSync("/usr/bin/python3", ["reference/bench_stacking.py"], {
    encoding: "utf8",
    env: { ...process.env, OMP_NUM_THREADS: "1" },
  });
  return run.status === 0 ? reference.parse(JSON.parse(run.stdout)) : null;
}

const before = measureReference();
/** Both write into memory that is kept, as a stack does. */
const kept = createRaster(SIDE, SIDE, 1);
const warped = (kernel: ResamplingKernel) =>
  best(
    8,
    () => void resample(picture, { x: 0, y: 0 }, warp, wholeRegion(picture), { kernel, kernels, create: () => kept }),
  );
const settings = { by: "mean", rejector: rejectorOf("sigma"), limits: { low: 3, high: 3 } } as const;
const ours = {
  lanczos3: warped("lanczos3"),
  lanczos4: warped("lanczos4"),
  bicubic: warped("bicubic"),
  kappaSigma: best(8, () => void kernels.combine(cube, LAYERS, PIXELS, weights, settings)),
  mean: best(
    8,
    () => void kernels.combine(cube, LAYERS, PIXELS, weights, { ...settings, rejector: rejectorOf("none") }),
  ),
  expected: best(8, () => {
    const { median: centre, spread } = kernels.centres(cube, LAYERS, PIXELS);
    const model = { noise: weights, signal: weights, blur: weights, sky: 10, centre, spread, ...flat };
    kernels.combine(cube, LAYERS, PIXELS, weights, { ...settings, rejector: rejectorOf("expected") }, model);
  }),
  /** To fresh memory, as combining makes its results; and to memory that is kept. */
  copy: best(20, () => void cube.slice()),
  copyKept: best(20, () => room.set(cube)),
};
const after = measureReference();
const theirs = before && after ? { before, after } : null;

const line = (name: string, own: number, samples: number, key: keyof z.infer<typeof reference>): void => {
  const other = theirs ? Math.min(theirs.before[key], theirs.after[key]) : null;
  const ratio =
    other === null ? "" : `, reference ${((other / samples) * 1e9).toFixed(1)} ns, ratio ${(own / other).toFixed(2)}`;
  process.stdout.write(`${name}: ${((own / samples) * 1e9).toFixed(1)} ns a sample${ratio}\n`);
};
line("Lanczos 3 (beside LANCZOS4)", ours.lanczos3, SIDE * SIDE, "lanczos4");
line("Lanczos 4", ours.lanczos4, SIDE * SIDE, "lanczos4");
line("bicubic", ours.bicubic, SIDE * SIDE, "bicubic");
line("κ-sigma of 30 layers", ours.kappaSigma, LAYERS * PIXELS, "kappaSigma");
line("copy of the same samples", ours.copy, LAYERS * PIXELS, "copy");
const perSample = (seconds: number): string => ((seconds / LAYERS / PIXELS) * 1e9).toFixed(1);
for (const [name, own] of [
  ["mean of all", ours.mean],
  ["κ-sigma", ours.kappaSigma],
  ["expected noise, with its medians", ours.expected],
] as const)
  process.stdout.write(
    `${name}: ${perSample(own)} ns a sample, ${(own / ours.copy).toFixed(1)} copies to fresh memory, ${(own / ours.copyKept).toFixed(1)} to kept memory\n`,
  );
