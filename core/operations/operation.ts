import type { FactId, Facts } from "../facts";
import type { JobHandle } from "../job";
import type { Psf } from "../kernels";
import type { Parameters } from "../parameters";
import type { Raster } from "../raster";

export type OperationGroup = "noise" | "deconvolve" | "detail" | "stretch";
/** What samples are: proportional to light, or made for the eye. "either": an operation takes both, or leaves a picture what it is. */
export type Domain = "linear" | "stretched" | "either";

/**
 * What a step works on: all channels at once with one decision for them, each channel by itself, only the luminance (mean of
 * the channels), or only the differences of the channels from it.
 */
export const CHANNEL_MODES = ["together", "each", "luminance", "chrominance"] as const;
export type ChannelMode = (typeof CHANNEL_MODES)[number];

/**
 * The unit of every approach. `run` gets a region with at least `halo` pixels of surroundings wherever the picture has them
 * (a region may end at the picture's own border), free of NaN, and returns a Raster of the same size; inputs are not changed.
 * What must be known of the whole picture are the facts that it names in `needs` (core/facts/).
 */
export interface Operation<P, I extends FactId> {
  id: string;
  version: number;
  title: string;
  /** The title where room is scarce. */
  short: string;
  /** One sentence: what it does to the picture. */
  summary: string;
  group: OperationGroup;
  domainIn: Domain;
  domainOut: Domain;
  parameters: Parameters<P>;
  /** The parameter that makes it stronger. */
  strength: keyof P & string;
  /** Where some settings are only how much of its full effect goes into the picture: the runner mixes, `run` gives the full effect. */
  mixes?: {
    shares(params: P): Shares;
    /** These settings where all of the effect goes in. */
    full: Partial<P>;
  };
  /** Settings to begin with, by what they do to the picture. */
  startingPoints?: readonly { label: string; hint: string; params: Partial<P> }[];
  /** Where one setting is how long it goes on: the halves tell when to stop (core/chain/stopping.ts), given the blur that is taken back and what the result is shown by (null: as it comes). */
  stopping?: {
    field: keyof P & string;
    blur(params: P, facts: Facts<I>): { psf: Psf; target: Psf | null };
  };
  channels: readonly ChannelMode[];
  /** Most difference between a crop and the same pixels of the whole picture, as a fraction of the picture's range. */
  cropBound: number;
  needs: readonly I[];
  /** Of these the ones that are needed with some settings. @default all */
  asks?(params: P): readonly I[];
  /** What parameters of an older version are in the next one, by that older version; none where they kept their meaning. */
  migrations?: Readonly<Record<number, (params: Record<string, unknown>) => Record<string, unknown>>>;
  halo(params: P, facts: Facts<I>): number;
  /** `place`: where the region's first pixel lies in the picture, for what goes by a grid of the whole. */
  run(region: Raster, params: P, facts: Facts<I>, job: JobHandle, place: Place): Raster | Promise<Raster>;
}

/** How much of an effect goes into a picture: of its light (the mean of the channels) and of its colour (what differs from that), or of each channel. */
export type Shares = { light: number; colour: number } | { each: readonly number[] };

export interface Place {
  x: number;
  y: number;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds operations of different parameters
export type AnyOperation = Operation<any, any>;
