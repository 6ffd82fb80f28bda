// The noise that every approach says it leaves, at rising strengths, over what it leaves: half the
// difference of what becomes of many nights of the same sky shows that.
// Usage: npm run -s bench -- strengths [approach …]; white noise and noise of the correlation that resampling leaves.
import { measureChain, newStep, noiseLeft, readySteps, runChain, sigmaLeft, sigmaOfLight } from "@/core/chain";
import { createRandom } from "@/core/numeric/random";
import { OPERATIONS } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { frameOfRaster, wholeRegion } from "@/core/raster";
import { createNight, truthRaster } from "@/core/simulate";
import { job, kernels, medianOf } from "./lib/truth";

const SIZE = { width: 448, height: 448 };
const FWHM_PX = 3;
/** σ of a stack's darkest sky, share of full scale, and how its variance grows with light. */
const [SIGMA, GROWTH] = [4e-5, 2e-6];
const STRENGTHS = [1, 0.75, 0.5, 0.25];
const SEEDS = [3, 17];
const only = process.argv.slice(2);

/** Noise of σ 1, its neighbours as alike as after a shift by half a pixel (weights ½, ½ along both axes are worse than what Lanczos leaves). */
function noiseOf(seed: number, isCorrelated: boolean): Float32Array {
  const { width, height } = SIZE;
  const random = createRandom(seed);
  const white = Float32Array.from({ length: width * height }, () => random.normal());
  if (!isCorrelated) return white;
  const taps = [0.25, 0.85, 0.25];
  const norm = taps.reduce((sum, v) => sum + v * v, 0);
  const along = (from: Float32Array, step: number) =>
    from.map((_, i) => taps.reduce((sum, tap, k) => sum + tap * (from[i + (k - 1) * step] ?? 0), 0));
  return along(along(white, 1), width).map((v) => v / norm);
}

function noisy(truth: Raster, times: number, seed: number, isCorrelated: boolean): Raster {
  const planes = truth.planes.map((plane, c) => {
    const noise = noiseOf(seed + 1000 * c, isCorrelated);
    return plane.map((v, i) => v + times * Math.sqrt(SIGMA ** 2 + GROWTH * Math.max(0, v)) * noise[i]);
  });
  return { ...truth, planes };
}

const mean = (a: Raster, b: Raster): Raster => ({
  ...a,
  planes: a.planes.map((plane, c) => plane.map((v, i) => (v + b.planes[c][i]) / 2)),
});

process.stdout.write(
  `| approach | noise | ${STRENGTHS.map((s) => `told/left at ${s}`).join(" | ")} |\n|${"---|".repeat(2 + STRENGTHS.length)}\n`,
);
for (const approach of OPERATIONS.filter(
  ({ can, id }) => can.noiseReduction && (only.length === 0 || only.some((name) => id.includes(name))),
))
  for (const isCorrelated of [false, true]) {
    const ratios = STRENGTHS.map((): number[] => []);
    for (const seed of SEEDS) {
      const night = createNight({ subs: 1, seed, ...SIZE });
      const truth = truthRaster(night, FWHM_PX, kernels);
      const nights = [0, 1].map((k) => {
        const [a, b] = [1, 2].map((half) => noisy(truth, Math.SQRT2, 7 * seed + 10 * k + half, isCorrelated));
        const picture = mean(a, b);
        return {
          picture: frameOfRaster(picture),
          halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
          fill: [0, 0, 0],
          fullScale: 1,
        };
      });
      for (const [k, strength] of STRENGTHS.entries()) {
        const step = newStep(approach);
        const steps = [{ ...step, params: { ...step.params, strength } }];
        const results = [];
        for (const input of nights) {
          const ready = readySteps(steps, await measureChain(input, steps, job));
          const told = await noiseLeft(input, ready, wholeRegion(SIZE), job);
          if (!told) continue;
          results.push({
            told: sigmaLeft(told, sigmaOfLight),
            after: await runChain(input.picture, ready, wholeRegion(SIZE), input.fill, job),
          });
        }
        const [one, other] = results;
        const apart = one.after.planes.map((plane, c) =>
          plane.map((v, i) => (v - other.after.planes[c][i]) / Math.SQRT2),
        );
        const real = sigmaOfLight({ ...one.after, planes: apart });
        ratios[k].push((one.told + other.told) / 2 / real);
      }
    }
    const cells = ratios.map((of) => medianOf(of).toFixed(3));
    process.stdout.write(
      `| ${approach.words.short} | ${isCorrelated ? "correlated" : "white"} | ${cells.join(" | ")} |\n`,
    );
  }
