import type { FactId, Facts } from "../facts";
import type { JobHandle } from "../job";
import type { Field, Parameters, ValuesOf } from "../parameters";
import { parameters } from "../parameters";
import type { Raster } from "../raster";

/** A corner of an outline, in px of the picture. */
export type Corner = readonly [x: number, y: number];

/** What a part of a mask is measured from. */
export interface MaskLook<I extends FactId> {
  /** The untouched picture, without gaps. */
  raster: Raster;
  /** Where the raster's first pixel lies in the picture. */
  x: number;
  y: number;
  /** Of the untouched picture. */
  facts: Facts<I>;
  /** Corners of what was drawn; empty for kinds that are measured from the picture. */
  outline: readonly Corner[];
  job: JobHandle;
}

/** A way to say which part of a picture is meant. */
export interface MaskKind<P, I extends FactId> {
  id: string;
  title: string;
  /** One sentence: which part of the picture it is. */
  summary: string;
  /** How its outline is drawn; null for kinds that are measured from the picture. */
  drawn: "freehand" | "corners" | "ellipse" | null;
  needs: readonly I[];
  parameters: Parameters<P>;
  /** Pixels of surroundings that `values` looks at. */
  reach(params: P): number;
  /** 0 (not meant) … 1 (meant) for each pixel of the look's raster. */
  values(look: MaskLook<I>, params: P): Float32Array;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds kinds of different parameters
export type AnyMaskKind = MaskKind<any, any>;

/** A kind with its settings declared as fields. */
export function maskKind<F extends Record<string, Field>, I extends FactId = never>(
  kind: Omit<MaskKind<ValuesOf<F>, I>, "parameters"> & { fields: F },
): MaskKind<ValuesOf<F>, I> {
  const { fields, ...others } = kind;
  return { ...others, parameters: parameters(fields) };
}
