import { z } from "zod";
import { REJECTORS } from "../combine";
import { choice, parameters, slider, tick } from "../parameters";

/** Rejections that go by σ limits. */
const BY_SIGMA = { name: "reject", is: ["auto", "expected", "sigma", "winsor", "mad", "linear"] };

/** How a stack is made. Every one has a default that needs no change. */
export const stackParameters = parameters({
  transform: choice({
    label: "Transform",
    hint: "The least that describes how subs lie over one another; more takes up shear, tilt of the sensor, and the lens's distortion, and needs more stars",
    options: [
      { value: "auto", label: "as much as the stars ask for" },
      { value: "shift", label: "shift alone", also: "translation" },
      { value: "similarity", label: "shift, turn and scale" },
      { value: "affine", label: "shift, turn, scale and shear" },
      { value: "projective", label: "perspective" },
      { value: "quadratic", label: "distortion of degree 2" },
      { value: "cubic", label: "distortion of degree 3", also: "distortion" },
    ],
    default: "auto",
    option: "transform",
  }),
  resampling: choice({
    label: "Resampling",
    hint: "Lanczos keeps stars sharpest; bicubic rings least; bilinear widens stars and smooths noise; nearest keeps every value as it came",
    options: [
      { value: "lanczos3", label: "Lanczos 3" },
      { value: "lanczos4", label: "Lanczos 4" },
      { value: "bicubic", label: "bicubic" },
      { value: "bilinear", label: "bilinear" },
      { value: "nearest", label: "nearest pixel" },
    ],
    default: "lanczos3",
    option: "resample",
  }),
  normalise: choice({
    label: "Normalisation",
    hint: "Subs are brought to the reference's starlight and sky before outliers are told and samples are combined",
    options: [
      { value: "photometric", label: "by starlight and sky" },
      { value: "offset", label: "by the sky alone" },
      { value: "none", label: "not at all" },
    ],
    default: "photometric",
    option: "normalise",
  }),
  weights: choice({
    label: "Weights",
    hint: "By noise alone the sky gets as smooth as these subs allow; with sharpness and shape, blurred and elongated subs count less",
    options: [
      { value: "shape", label: "by noise, sharpness and shape", also: "quality" },
      { value: "noise", label: "by their noise alone" },
      { value: "equal", label: "all alike" },
    ],
    default: "shape",
    option: "weights",
  }),
  combine: choice({
    label: "Combination",
    hint: "What is left at a pixel becomes its weighted mean, which has the least noise, or its median, which is a quarter noisier",
    options: [
      { value: "mean", label: "weighted mean" },
      { value: "median", label: "median" },
    ],
    default: "mean",
    option: "combine",
  }),
  reject: choice({
    label: "Rejection",
    hint: "What lies far from the other subs at a pixel: trails, cosmic-ray hits",
    options: [
      { value: "auto", label: "outliers, as the subs allow" },
      ...REJECTORS.map(({ id, label }) => ({ value: id, label })),
    ],
    default: "auto",
    option: "reject",
  }),
  lowSigma: slider({
    label: "Low limit",
    hint: "Samples this many σ below the others are rejected",
    unit: "σ",
    min: 0.5,
    max: 20,
    step: 0.1,
    default: 3.5,
    option: "low",
    when: BY_SIGMA,
  }),
  highSigma: slider({
    label: "High limit",
    hint: "Samples this many σ above the others are rejected",
    unit: "σ",
    min: 0.5,
    max: 20,
    step: 0.1,
    default: 3.5,
    option: "high",
    when: BY_SIGMA,
  }),
  lowShare: slider({
    label: "Lowest",
    hint: "Share of the samples of a pixel that is left out at the low end",
    min: 0,
    max: 0.45,
    step: 0.01,
    default: 0.1,
    option: "low-share",
    when: { name: "reject", is: "percentile" },
  }),
  highShare: slider({
    label: "Highest",
    hint: "Share of the samples of a pixel that is left out at the high end",
    min: 0,
    max: 0.45,
    step: 0.01,
    default: 0.1,
    option: "high-share",
    when: { name: "reject", is: "percentile" },
  }),
  lowCount: slider({
    label: "Lowest samples",
    hint: "How many of the lowest samples of a pixel are left out",
    min: 0,
    max: 20,
    step: 1,
    default: 1,
    option: "low-count",
    when: { name: "reject", is: "minmax" },
  }),
  highCount: slider({
    label: "Highest samples",
    hint: "How many of the highest samples of a pixel are left out",
    min: 0,
    max: 20,
    step: 1,
    default: 1,
    option: "high-count",
    when: { name: "reject", is: "minmax" },
  }),
  mostOutliers: slider({
    label: "Most outliers",
    hint: "Greatest share of the samples of a pixel that may be outliers",
    min: 0.05,
    max: 0.5,
    step: 0.05,
    default: 0.3,
    option: "most",
    when: { name: "reject", is: "esd" },
  }),
  significance: slider({
    label: "Chance",
    hint: "Chance to find an outlier at a pixel that has none",
    min: 0.001,
    max: 0.2,
    step: 0.001,
    default: 0.05,
    option: "significance",
    when: { name: "reject", is: "esd" },
  }),
  keepTrails: tick({
    label: "Leave trails to the rejection",
    hint: "Without it the trails of satellites and aircraft that were found in subs are taken out whole, with a margin",
    default: false,
    option: "keep-trails",
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
