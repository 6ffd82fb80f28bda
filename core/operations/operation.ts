import type { AssetRef } from "../assets";
import type { FactId, Facts } from "../facts";
import type { JobHandle } from "../job";
import type { Psf } from "../kernels";
import type { Parameters } from "../parameters";
import type { Raster, Region } from "../raster";
import type { Domain, PictureState } from "./pictureState";

export type OperationGroup = "noise" | "deconvolve" | "detail" | "stretch";
/**
 * What a step works on: all channels at once with one decision for them, each channel by itself, only the luminance (mean of
 * the channels), or only the differences of the channels from it.
 */
export const CHANNEL_MODES = ["together", "each", "luminance", "chrominance"] as const;
export type ChannelMode = (typeof CHANNEL_MODES)[number];

/** A registered fact's values, the job, and where the region lies: what a step runs with. */
export interface RunContext<P, I extends FactId> {
  params: P;
  facts: Facts<I>;
  job: JobHandle;
  place: Place;
}

/** What an operation is called, and settings to begin with, by what they do to the picture. */
export interface OperationWords<P> {
  title: string;
  /** The title where room is scarce. */
  short: string;
  /** One sentence: what it does to the picture. */
  summary: string;
  startingPoints?: readonly { label: string; hint: string; params: Partial<P> }[];
}

/** Most difference between a crop and the same pixels of the whole picture, as a fraction of the picture's range. */
export const CROP_BOUND = 1e-5;

/**
 * The unit of every approach. What must be known of the whole picture are the facts that it names
 * in `needs` (core/facts/). What only some operations can do is in `can`: nothing asks for a
 * group, which is for the menu alone.
 */
export interface Operation<P, I extends FactId> {
  id: string;
  version: number;
  words: OperationWords<P>;
  group: OperationGroup;
  parameters: Parameters<P>;
  channels: readonly ChannelMode[];
  needs(params: P): readonly I[];
  /**
   * The region of its input, in px of that, which a region of its result needs; `around` for steps
   * on the same grid. May reach over the picture's border.
   */
  source(region: Region, params: P, facts: Facts<I>): Region;
  /**
   * Gets `source(region)` as far as the picture reaches, free of NaN, and does not change it. A
   * step on the same grid returns a raster of that size; one of another grid returns the region
   * `place.kept` of its result.
   */
  run(input: Raster, context: RunContext<P, I>): Raster | Promise<Raster>;
  can: Capabilities<P, I>;
  /** What the picture is after it. @default what it was */
  output?(input: PictureState, params: P): PictureState;
  /** The domain that it is made for; on another it runs too, and the screen says so. @default any */
  madeFor?: Domain;
  /** @default CROP_BOUND */
  cropBound?: number;
  /** Files that it loads when it runs. What it makes is known by their hashes. @default none */
  assets?(params: P): readonly AssetRef[];
  /** Why it has nothing to do on this picture, in words; it is not run there then. Null where it works. */
  idle?(params: P, facts: Facts<I>): string | null;
  /** What parameters of an older version are in the next one, by that older version; none where they kept their meaning. */
  migrations?: Readonly<Record<number, (params: Record<string, unknown>) => Record<string, unknown>>>;
}

/** What only some operations can do. */
export interface Capabilities<P, I extends FactId> {
  /** Some settings of it are more of the same. */
  strength?: Strength<P>;
  /** It takes noise away, and leaves the light what it was. */
  noiseReduction?: true;
  /** It raises detail without a model of the blur. */
  detailGain?: true;
  /** It takes blur back. */
  restoration?: Restoring<P, I>;
  /**
   * Weight (0 … 1) of what it makes of a slightly disturbed picture in measuring the noise that it
   * leaves (core/chain/noiseLeft.ts). @default linear: the halves alone measure it
   */
  disturbedWeight?: number;
  /** One setting is how long it goes on: the halves show when to stop (core/chain/stopping.ts), which needs `restoration.blur`. */
  stopping?: { field: keyof P & string };
}

/** How strong an operation is. */
export interface Strength<P> {
  /** The parameter that makes it stronger. */
  field: keyof P & string;
  /** Where some settings are only how much of its full effect goes into the picture: the runner mixes, `run` gives the full effect. */
  mixes?: {
    shares(params: P): Shares;
    /** These settings where all of the effect goes in. */
    full: Partial<P>;
  };
}

/** How an operation takes blur back. */
export interface Restoring<P, I extends FactId> {
  /** The blur that is taken back, and what the result is shown by (null: as it comes); null where nothing is taken back, or it is not one PSF. */
  blur?(params: P, facts: Facts<I>): { psf: Psf; target: Psf | null } | null;
  /** FWHM in px that it aims at for stars of a FWHM; null for as it comes. */
  aims?(params: P, fwhmPx: number): number | null;
  /** What share of the picture it leaves as it was, by place, where it brings the rest to where `blur` would make the picture of it again (what stops on the way there does not); with as much of surroundings as `run`, and used where `kept`. */
  untouchedShare?(
    region: Raster,
    params: P,
    facts: Facts<I>,
    job: JobHandle,
    kept: Region,
  ): Float32Array | Promise<Float32Array>;
}

/** Whether an operation makes a picture sharper. */
export const sharpens = ({ can }: Pick<AnyOperation, "can">): boolean =>
  can.restoration !== undefined || can.detailGain === true;

/** Its settings with another strength; the same for an operation that has none. */
export const withStrength = (
  { can }: Pick<AnyOperation, "can">,
  params: Record<string, unknown>,
  strength: number,
): Record<string, unknown> => (can.strength ? { ...params, [can.strength.field]: strength } : params);

/** How much of an effect goes into a picture: of its light (the mean of the channels) and of its colour (what differs from that), or of each channel. */
export type Shares = { light: number; colour: number } | { each: readonly number[] };

export interface Place {
  /** Of the region's first pixel. */
  x: number;
  y: number;
  /** What of the result is used, counted from there: the rest may be left as it was. @default all of the region */
  kept?: Region;
  /** For a step that changes the grid: the region of its result that is wanted, px of that. */
  result?: Region;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds operations of different parameters
export type AnyOperation = Operation<any, any>;
