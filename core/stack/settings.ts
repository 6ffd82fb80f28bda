import { z } from "zod";
import { REJECTORS } from "../combine";
import { choice, parameters, slider, tick } from "../parameters";

/** How a stack is made. Every one has a default that needs no change. */
export const stackParameters = parameters({
  transform: choice({
    label: "Transform",
    hint: "The least that describes how subs lie over one another; more takes up shear, tilt of the sensor, and the lens's distortion, and needs more stars",
    options: [
      { value: "shift", label: "shift alone" },
      { value: "similarity", label: "shift, turn and scale" },
      { value: "affine", label: "shift, turn, scale and shear" },
      { value: "projective", label: "perspective" },
      { value: "quadratic", label: "distortion of degree 2" },
      { value: "cubic", label: "distortion of degree 3" },
    ],
    default: "similarity",
    option: "transform",
  }),
  resampling: choice({
    label: "Resampling",
    hint: "Lanczos keeps stars sharpest; bicubic rings least",
    options: [
      { value: "lanczos3", label: "Lanczos 3" },
      { value: "bicubic", label: "bicubic" },
    ],
    default: "lanczos3",
    option: "resampling",
  }),
  weights: choice({
    label: "Weights",
    hint: "By noise alone the sky gets as smooth as these subs allow; with sharpness and shape, blurred and elongated subs count less",
    options: [
      { value: "shape", label: "by noise, sharpness and shape" },
      { value: "noise", label: "by their noise alone" },
      { value: "equal", label: "all alike" },
    ],
    default: "shape",
    option: "weights",
  }),
  reject: choice({
    label: "Rejection",
    hint: "What lies far from the other subs at a pixel: trails, cosmic-ray hits",
    options: REJECTORS.map(({ id, label }) => ({ value: id, label })),
    default: REJECTORS[0].id,
    option: "reject",
  }),
  lowSigma: slider({
    label: "Low limit",
    hint: "Samples this many σ below the median are rejected, round after round",
    unit: "σ",
    min: 0.5,
    max: 20,
    step: 0.1,
    default: 3,
    option: "low",
    when: { name: "reject", is: "sigma" },
  }),
  highSigma: slider({
    label: "High limit",
    hint: "Samples this many σ above the median are rejected, round after round",
    unit: "σ",
    min: 0.5,
    max: 20,
    step: 0.1,
    default: 3,
    option: "high",
    when: { name: "reject", is: "sigma" },
  }),
  fwhmLimit: slider({
    label: "FWHM limit",
    hint: "Leaves out subs with wider stars; 0 keeps all",
    unit: "× the median FWHM",
    min: 0,
    max: 20,
    step: 0.1,
    default: 1.5,
    option: "fwhm-limit",
  }),
  keepDoubles: tick({
    label: "Use subs with double images too",
    hint: "Subs in which the mount jumped show every star twice, and would put a second, fainter one beside each",
    default: false,
    option: "keep-doubles",
  }),
  mixFilters: tick({
    label: "Stack different filters into one picture",
    hint: "Without it only the filter that most of the subs have is stacked, and the others are named",
    default: false,
    option: "mix-filters",
  }),
  memoryMiB: slider({
    label: "Memory",
    hint: "Memory for samples of subs; less makes smaller tiles, not another result",
    unit: "MB",
    min: 64,
    max: 65536,
    step: 64,
    default: 1024,
    option: "memory",
  }),
});

/** The parameters of a stack, and what it is matched to. */
export const stackSettings = stackParameters.schema.and(
  z.object({
    /** Reference sub by id; null for the best one. */
    referenceId: z.string().nullable().default(null),
  }),
);
export type StackSettings = z.infer<typeof stackSettings>;
