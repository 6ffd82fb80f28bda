import { NOISE_SCALES } from "../../facts";
import { bandCovariance } from "../../measure";
import type { JobHandle } from "../../job";
import { choice, slider } from "../../parameters";
import type { StabilisedPlane } from "../varianceStabilised";
import { noiseApproach } from "./approach";

/**
 * Starlet k-sigma shrinkage: each scale's coefficients are weakened by u²/(1 + u²), u = (|d|/kσ)², where σ is that scale's noise, which follows from how the
 * noise of neighbours correlates; a significant neighbourhood protects weak detail. Version 1 had strength for k: 3 of it.
 * Its careful kind keeps whole what stands above kσ (k + 1 at the finest scale), and puts back, round by round, what of the rest lies where something was kept.
 * Sources: Starck & Murtagh, Astronomical Image and Data Analysis, ch. 2; smooth shrinkage of the kind of Gao 1998 (garrote); Murtagh, Starck & Bijaoui 1995, A&AS 112, 179 (support, residual put back).
 */
export const starletShrinkage = noiseApproach({
  id: "noise.starlet",
  version: 2,
  words: {
    title: "Starlet noise reduction",
    short: "Starlet",
    summary: "Weakens what is no larger than the noise, scale by scale.",
  },
  disturbedWeight: 0.5,
  fields: {
    kind: choice({
      label: "What is doubtful",
      hint: "Weakened: the less it stands out; or careful: kept whole from the threshold on, else taken away, in rounds that put back what belongs to what was kept",
      options: [
        { value: "weaken", label: "weakened" },
        { value: "careful", label: "careful" },
      ],
      default: "weaken",
    }),
    threshold: slider({
      label: "Threshold",
      hint: "How far above the noise of its scale a detail must rise to stay",
      unit: "σ",
      min: 0,
      max: 6,
      step: 0.1,
      default: 3.5,
    }),
    detail: {
      ...slider({
        label: "Keep detail",
        hint: "Faint detail stays where its neighbourhood shows structure too",
        min: 0,
        max: 1,
        step: 0.01,
        default: 0.7,
      }),
      when: { name: "kind", is: "weaken" },
    },
    scales: slider({
      label: "Scales",
      hint: "Size of the largest mottle that is smoothed: 2, 4, 8 … px",
      min: 1,
      max: NOISE_SCALES,
      step: 1,
      default: 5,
    }),
  },
  needs: () => [],
  migrations: {
    1: ({ strength, ...others }) => ({
      ...others,
      strength: 1,
      threshold: 3 * Number(strength ?? 0.6),
      keepPoints: false,
    }),
  },
  // Scale j looks 2 · 2^j px to each side; their sum over J scales is 2 (2^J − 1), and 1 px for the neighbourhood; each round of the careful kind looks as far again.
  reach: ({ scales, kind }) => (kind === "careful" ? ROUNDS : 1) * 2 * (2 ** scales - 1) + 1,
  clean(even, { kind, threshold, detail, scales }, _facts, job) {
    const noise = Float64Array.from(even.covariance);
    const sigmas = Array.from({ length: scales }, (_, scale) => Math.sqrt(bandCovariance(noise, scale, 0)[0]));
    if (kind === "careful") return careful(even, sigmas, threshold, job);
    const inverseSigma = sigmas.map((sigma) => (sigma > 0 ? 1 / sigma : 0));
    const settings = { inverseSigma: [inverseSigma], k: threshold, protect: detail };
    return job.kernels.starletShrink([even.plane], even.width, even.height, settings)[0];
  },
});

/** Rounds in all; those after the first put back what is left: a tenth of σ stays. */
const ROUNDS = 3;

/** Coefficients that stand out are kept; of what the picture still has over the result those at the same places are put back, round by round, and all that is coarser. */
function careful(
  { plane, width, height }: StabilisedPlane,
  sigmas: readonly number[],
  k: number,
  job: JobHandle,
): Float32Array {
  const out = new Float32Array(plane.length);
  const kept = sigmas.map(() => new Uint8Array(plane.length));
  for (let round = 0; round < ROUNDS; round++) {
    let current = new Float32Array(plane.length);
    for (let i = 0; i < out.length; i++) current[i] = plane[i] - out[i];
    for (const [scale, sigma] of sigmas.entries()) {
      const smooth = job.kernels.starletSmooth(current, width, height, scale);
      const [least, own] = [(k + (scale === 0 ? 1 : 0)) * sigma, kept[scale]];
      for (let i = 0; i < out.length; i++) {
        const detail = current[i] - smooth[i];
        if (round === 0 && Math.abs(detail) > least) own[i] = 1;
        if (own[i] === 1) out[i] += detail;
      }
      current = smooth as Float32Array<ArrayBuffer>;
    }
    for (let i = 0; i < out.length; i++) out[i] += current[i];
  }
  return out;
}
