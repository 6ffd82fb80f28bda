import type { Evidence, EvidenceViews } from "../evidence";
import type { JobHandle } from "../../job";
import type { Star } from "../../measure";
import type { Raster } from "../../raster";

/** What measures are taken from: a place before and after a chain. */
export interface Measured {
  /** The place in all channels. */
  before: Raster;
  after: Raster;
  /** Its light with surroundings, with the halves where there are some. */
  views: EvidenceViews;
  evidence: Evidence | null;
  /** Stars of the stack, and of the lane, inside the place; px of it. */
  starsBefore: Star[];
  starsAfter: Star[];
  /** FWHM of the stack's stars, px; null where it has none. */
  fwhmPx: number | null;
  /** Level of the sky; null where the chain moved it. */
  skyLevel: number | null;
  /** What the chain calls white. */
  fullScale: number;
  job: JobHandle;
}

/** Headings under which measures stand. */
export const MEASURE_GROUPS = ["noise", "detail", "stars", "evidence"] as const;
export type MeasureGroup = (typeof MEASURE_GROUPS)[number];

/** A measure of what a chain makes of a place. */
export interface Measure {
  id: string;
  label: string;
  /** "" for shares and ratios; "level" for the unit of the picture. */
  unit: "" | "level" | "px" | "dB" | "%" | "σ" | "s/Mpx";
  /** Under which heading it stands. */
  group: MeasureGroup;
  /** What it is, in a sentence, with its formula. */
  definition: string;
  /** What is better; null where neither is. */
  better: "less" | "more" | null;
  digits: number;
  /** It is of pictures of three channels alone. @default of any */
  ofColour?: true;
  /** Null where it is not defined: no halves, no stars, no signal. */
  valueOf(of: Measured): number | null;
}

/** Nothing that is not a number leaves a measure. */
export const finite = (value: number): number | null => (Number.isFinite(value) ? value : null);
