import type * as z from "zod";
import type { JobHandle } from "../job";
import type { Raster, Region } from "../raster";
import type { NoiseGainMap } from "./noiseGainMap";

/** A patch of sky with its surroundings, and where in these it lies. */
export interface SeenPatch {
  raster: Raster;
  inside: Region;
}

/** A reader of the whole picture, as it is before a step and in the step's channel mode. */
export interface FactInput {
  /** The level that is white: the sensor's full scale in samples of the picture, 1 after a stretch. */
  readonly fullScale: number;
  /** Where the pieces that are looked at lie: all of a small picture, else pieces spread evenly. */
  readonly places: readonly Region[];
  /** These pieces of the picture, without gaps. */
  samples(): Promise<Raster[]>;
  /** The same with the corners of a large picture, for what changes over the field. */
  readonly field: { readonly places: readonly Region[]; samples(): Promise<Raster[]> };
  /** Of each piece the pixels that have no data, and those next to them (1); null for none. */
  gaps(): Promise<(Uint8Array | null)[]>;
  /** (A − B)/2 of the halves treated the same way, same pieces; null where there are no halves. */
  halfDifferences(): Promise<Raster[] | null>;
  /** The same of the untouched picture. */
  untouchedDifferences(): Promise<Raster[] | null>;
  /** How the noise of the untouched picture differs over the field; null where no halves tell it. */
  noiseGain(): Promise<NoiseGainMap | null>;
  /** The picture, without gaps, in the patches that a person chose to tell its noise from, with px of surroundings; null where none were chosen. */
  patches(): Promise<SeenPatch[] | null>;
  /** Places in px of the picture: stars there say nothing of the blur. */
  readonly dropped: readonly (readonly [x: number, y: number])[];
  /** Another fact of the same picture, measured once for all that go by it. */
  fact<V>(fact: Fact<V>): Promise<V>;
  /** The whole picture reduced by box means to at most `side` px along its longer axis, without gaps. */
  overview(side: number): Promise<Raster>;
}

/**
 * What must be known of the whole picture before a region of it can be treated. Measured once for a picture, the steps before and a
 * channel mode, and shared by all who need it. Values are plain JSON.
 */
export interface Fact<V> {
  id: string;
  /**
   * The kind of parameter that it follows: patches of sky in which noise is measured
   * (FactInput.patches), or stars that do not count for the blur (FactInput.dropped).
   * @default none
   */
  follows?: "patches" | "stars";
  /** What it shows, in a few words. */
  title: string;
  schema: z.ZodType<V>;
  measure(input: FactInput, job: JobHandle): Promise<V>;
  /** The value for a picture of the same sky with so many times the noise, such as one of the halves (√2). */
  noisier(value: V, times: number): V;
}
