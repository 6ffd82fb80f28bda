// Both kernels against their plain twins, in interleaved rounds of one run; best of each side; prints ratios.
// npm run -s bench -- kernels
import { rejectorOf } from "@/core/combine";
import { createPlainKernels } from "@/core/kernels";
import { roundPsf } from "@/core/measure";
import { createRandom } from "@/core/numeric/random";
import { kernels as wasm } from "./lib/truth";

const plain = createPlainKernels();
const random = createRandom(1);
const planeOf = (side: number): Float32Array => Float32Array.from({ length: side * side }, () => 10 + random.normal());

/** Best time in ms of `rounds` interleaved rounds of both. */
function compare(name: string, rounds: number, fast: () => void, slow: () => void): void {
  let best = Infinity;
  let bestTwin = Infinity;
  for (let round = 0; round < rounds; round++) {
    let started = performance.now();
    fast();
    best = Math.min(best, performance.now() - started);
    started = performance.now();
    slow();
    bestTwin = Math.min(bestTwin, performance.now() - started);
  }
  const ratio = best / bestTwin;
  process.stdout.write(
    `${name}: wasm ${best.toFixed(1)} ms, plain ${bestTwin.toFixed(1)} ms, ratio ${ratio.toFixed(3)}\n`,
  );
}

const psf = roundPsf(3, 3, 11);
const big = planeOf(1024);
const small = planeOf(320);
const sigma = [[1, 5, 12, 24, 48]];
compare(
  "starlet, 5 scales, 1024²",
  4,
  () => void [0, 1, 2, 3, 4].reduce<Float32Array>((p, j) => wasm.starletSmooth(p, 1024, 1024, j), big),
  () => void [0, 1, 2, 3, 4].reduce<Float32Array>((p, j) => plain.starletSmooth(p, 1024, 1024, j), big),
);
compare(
  "starlet shrinkage, 5 scales, 1024²",
  3,
  () => void wasm.starletShrink([big], 1024, 1024, { inverseSigma: sigma, k: 1.5, protect: 0.5 }),
  () => void plain.starletShrink([big], 1024, 1024, { inverseSigma: sigma, k: 1.5, protect: 0.5 }),
);
compare(
  "FFT convolution, 1024²",
  3,
  () => void wasm.convolve(big, 1024, 1024, psf),
  () => void plain.convolve(big, 1024, 1024, psf),
);
compare(
  "Richardson–Lucy, 10 iterations, 320²",
  3,
  () => void wasm.richardsonLucy(small, 320, 320, psf, { iterations: 10, start: "data", floor: 1e-6 }),
  () => void plain.richardsonLucy(small, 320, 320, psf, { iterations: 10, start: "data", floor: 1e-6 }),
);

const layers = 30;
const pixels = 256 * 256;
const cube = Float32Array.from({ length: layers * pixels }, () => 10 + random.normal());
const weights = new Array<number>(layers).fill(1);
const clipping = { by: "mean" as const, rejector: rejectorOf("sigma"), limits: { low: 3, high: 3 } };
compare(
  "combining 30 layers of 256², κ-sigma",
  3,
  () => void wasm.combine(cube, layers, pixels, weights, clipping),
  () => void plain.combine(cube, layers, pixels, weights, clipping),
);
let copying = Infinity;
let combining = Infinity;
for (let round = 0; round < 5; round++) {
  let at = performance.now();
  cube.slice();
  copying = Math.min(copying, performance.now() - at);
  at = performance.now();
  wasm.combine(cube, layers, pixels, weights, clipping);
  combining = Math.min(combining, performance.now() - at);
}
process.stdout.write(
  `combining as a multiple of a copy of its samples (${copying.toFixed(1)} ms): ${(combining / copying).toFixed(1)}\n`,
);

const started = performance.now();
wasm.richardsonLucy(big, 1024, 1024, psf, { iterations: 30, start: "data", floor: 1e-6 });
process.stdout.write(`Richardson–Lucy, 30 iterations, 1024²: wasm ${(performance.now() - started).toFixed(0)} ms\n`);
