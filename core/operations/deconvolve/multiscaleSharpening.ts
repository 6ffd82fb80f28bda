import type { Facts } from "../../facts";
import type { JobHandle } from "../../job";
import type { Psf } from "../../kernels";
import type { Memory } from "../../memory";
import { bandCovariance, meanCovariance, overBands, roundPsf, sigmaAt, surroundings } from "../../measure";
import { choice, parameters, slider } from "../../parameters";
import { around } from "../around";
import type { Operation } from "../operation";
import { blurFields, NO_STARS, typedBlur } from "./blur";

/** Starlet scales that are raised: detail of 1 … 32 px. */
const SCALES = 6;
/** Power of the frequency with which a picture of hills, rims and belts falls off, energy being k^−3 over an area. */
const SLOPE = 3;
/** Wings of the typed blur at first, and of that which the detail shows. */
const BETA = 3.5;
/** A blur that the detail shows to be narrower is none, px. */
const LEAST_FWHM = 1.2;
const [HIDDEN, SHARP] = [
  "Noise hides the fine detail, so the picture stays as it is. Choose a typed blur to go on.",
  "The fine detail shows no blur, so the picture stays as it is. Choose a typed blur to go on.",
];

/** Gains are those of round blurs: one that was taken from elsewhere need not be. */
const { kernel: _, psf: ways, ...blur } = blurFields({ psf: "typed", fwhmPx: 3.5, beta: BETA });

const layerParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "Share of the blur that is taken back; at 0 the picture stays",
    min: 0,
    max: 1,
    step: 0.01,
    default: 1,
  }),
  psf: choice({
    ...ways,
    options: [
      { value: "detail", label: "as the fine detail shows it" },
      ...ways.options.flatMap(({ value, label }) => (value === "kept" ? [] : [{ value, label }])),
    ],
    default: "detail",
  }),
  ...blur,
  gate: slider({
    label: "Noise gate",
    hint: "Detail of less than so many times the noise of its size is left as it is; above, the more it stands out the more it gets of its gain",
    unit: "σ",
    min: 0,
    max: 6,
    step: 0.1,
    default: 2,
  }),
});
type Params = typeof layerParameters.defaults;

type Needed = "detailBlur" | "noiseModel" | "psf";

/** Why its blur is not told; null where it is. */
function untold(p: Params, { psf, detailBlur }: Facts<Needed>): string | null {
  if (p.psf === "measured") return psf.fwhmPx === null || !psf.alike ? NO_STARS : null;
  if (p.psf !== "detail") return null;
  if (detailBlur.fwhmPx === null) return HIDDEN;
  return detailBlur.fwhmPx < LEAST_FWHM ? SHARP : null;
}

function psfOf(p: Params, { psf, detailBlur }: Facts<Needed>, memory: Memory): Psf {
  if (p.psf === "detail" && detailBlur.fwhmPx !== null) return roundPsf(detailBlur.fwhmPx, BETA);
  if (p.psf === "measured" && psf.fwhmPx !== null)
    return roundPsf(psf.fwhmPx, Math.min(6, Math.max(2, psf.beta ?? BETA)));
  return typedBlur({ ...p, kernel: null }, memory);
}

/**
 * The gain of each starlet scale that makes its energy, after a blur P, come nearest to that before it: Σ |W P| |W| k^−3/Σ |W P|² k^−3 over the frequencies k, W the filter of the scale
 * (products of cos⁴ π 2^i f along the axes), a picture's energy falling as k^−3. At least 1. Source: least squares; own.
 */
export function energyGains(psf: Psf): number[] {
  const [top, bottom] = [new Float64Array(SCALES), new Float64Array(SCALES)];
  overBands(psf, SLOPE, SCALES, (j, filter, transfer, energy) => {
    const blurred = filter * Math.abs(transfer);
    top[j] += blurred * filter * energy;
    bottom[j] += blurred * blurred * energy;
  });
  return Array.from(top, (sum, j) => Math.max(1, sum / bottom[j]));
}

/**
 * Energy layers: each starlet scale × 1 + (gain − 1) · max(0, 1 − (gate σ)²/power), gains from the blur (energyGains), power the local mean square of the scale, σ its noise there. One pass, no iterations;
 * for the Moon and planets, where it stays nearest to the truth of all; stars get rings by it. Gains: own; gate after Wiener's (power less noise, over power).
 * Version 1 knew no blur that the detail shows, and took the typed FWHM where no star told it.
 */
export const multiscaleSharpening: Operation<Params, Needed> = {
  id: "deconvolve.energy-layers",
  version: 2,
  migrations: { 1: (params) => ({ psf: "typed", ...params }) },
  words: {
    title: "Energy layers",
    short: "Layers",
    summary: "Gives detail of each size back what the blur took of its energy: for Moon and planets.",
  },
  group: "deconvolve",
  madeFor: "linear",
  parameters: layerParameters,
  can: {
    disturbedWeight: 1,
    strength: {
      field: "strength",
      mixes: { shares: ({ strength }) => ({ light: strength, colour: strength }), full: { strength: 1 } },
    },
    restoration: {},
  },
  channels: ["luminance", "each", "together"],
  needs: ({ psf }) => [
    "noiseModel",
    ...(psf === "detail" ? ["detailBlur" as const] : []),
    ...(psf === "measured" ? ["psf" as const] : []),
  ],
  idle: untold,
  // Coefficients of the last scale look 2 (2^6 − 1) px far, their power 2 · 2^5 more.
  source: around(() => 2 * (2 ** SCALES - 1) + 2 ** SCALES),
  async run(region, { params: p, facts, job }) {
    const gains = energyGains(psfOf(p, facts, job.kernels.memory));
    const planes: Float32Array[] = [];
    for (const [c, plane] of region.planes.entries()) {
      await job.breathe();
      planes.push(raised(plane, region.width, region.height, gains, p.gate, facts.noiseModel, c, job));
      job.progress((c + 1) / region.channels);
    }
    return { ...region, planes };
  },
};

function raised(
  plane: Float32Array,
  width: number,
  height: number,
  gains: readonly number[],
  gate: number,
  { models, covariance }: Facts<"noiseModel">["noiseModel"],
  c: number,
  job: JobHandle,
): Float32Array {
  const { kernels } = job;
  const level = surroundings(plane, width, height, kernels);
  const noise = level.map((v) => sigmaAt(models[c], v) ** 2);
  const lags = Float64Array.from(meanCovariance(covariance));
  const out = plane.slice();
  let current = plane;
  for (const [scale, gain] of gains.entries()) {
    const smooth = kernels.starletSmooth(current, width, height, scale);
    const squares = current.map((v, i) => (v - smooth[i]) ** 2);
    const power = kernels.starletSmooth(squares, width, height, scale);
    const least = gate * gate * bandCovariance(lags, scale, 0)[0];
    for (let i = 0; i < out.length; i++) {
      const open = power[i] > 0 ? Math.max(0, 1 - (least * noise[i]) / power[i]) : 0;
      out[i] += (gain - 1) * open * (current[i] - smooth[i]);
    }
    current = smooth;
  }
  return out;
}
