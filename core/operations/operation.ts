import type { z } from "zod";
import type { JobHandle } from "../job";
import type { Raster } from "../raster";

export type OperationGroup = "noise" | "deconvolve" | "stretch";
export type Domain = "linear" | "stretched" | "either";

/**
 * What a step works on: all channels at once with one decision for them, each channel by itself, only the luminance (mean of
 * the channels), or only the differences of the channels from it.
 */
export const CHANNEL_MODES = ["together", "each", "luminance", "chrominance"] as const;
export type ChannelMode = (typeof CHANNEL_MODES)[number];

/** How a parameter is shown: a slider with a number field, or a choice. */
export type ParameterField =
  | {
      kind: "number";
      name: string;
      label: string;
      /** What it does to the picture. */
      hint: string;
      unit: string;
      min: number;
      max: number;
      step: number;
      /** Shown only while another parameter has this value. */
      when?: { name: string; is: string };
    }
  | { kind: "choice"; name: string; label: string; hint: string; options: { value: string; label: string }[] };

/** Whole-picture facts for `prepare`, taken from samples of the picture as it is before the step, in the step's mode. */
export interface PictureSampler {
  /** The level that is white in the picture: the sensor's full scale in its samples, 1 after a stretch. */
  readonly fullScale: number;
  /** Pieces of the picture, without gaps; the whole of a small one. */
  samples(): Promise<Raster[]>;
  /** (A − B)/2 of the halves treated the same way, same pieces; null where there are no halves. */
  halfDifferences(): Promise<Raster[] | null>;
}

/**
 * The unit of every approach. `run` gets a region with at least `halo` pixels of surroundings wherever the picture has them
 * (a region may end at the picture's own border), free of NaN, and returns a Raster of the same size; inputs are not changed.
 * The context is plain JSON, made once for the whole picture by `prepare`.
 */
export interface Operation<P, C> {
  id: string;
  version: number;
  title: string;
  /** The title where room is scarce. */
  short: string;
  /** One sentence: what it does to the picture. */
  summary: string;
  group: OperationGroup;
  domain: Domain;
  params: z.ZodType<P>;
  fields: ParameterField[];
  /** The field that makes it stronger. */
  strength: string;
  channels: ChannelMode[];
  /** Most difference between a crop and the same pixels of the whole picture, as a fraction of the picture's range. */
  cropBound: number;
  context: z.ZodType<C>;
  /** σ per pixel that the context knows, by channel; null where it knows none. */
  noiseOf(context: C): number[] | null;
  /** The context for a picture of the same sky with `factor` times the noise, such as one of the halves. */
  withNoise(context: C, factor: number): C;
  halo(params: P, context: C): number;
  /** The part of the parameters that `prepare` depends on; a change of the others keeps the context. */
  contextDependsOn(params: P): unknown;
  prepare(params: P, look: PictureSampler, job: JobHandle): Promise<C>;
  run(region: Raster, params: P, context: C, job: JobHandle): Raster | Promise<Raster>;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds operations of different parameters
export type AnyOperation = Operation<any, any>;

/** Default parameters: every schema has a default for every field. */
export function defaultParams(operation: AnyOperation): Record<string, unknown> {
  return operation.params.parse({}) as Record<string, unknown>;
}
