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

/**
 * The unit of every approach. `run` gets a region with at least `halo` pixels of surroundings wherever the picture has them
 * (a region may end at the picture's own border), free of NaN, and returns a Raster of the same size; inputs are not changed.
 * What must be known of the whole picture are the facts that it names in `needs` (core/facts/). What only some operations can do
 * is in `can`: nothing asks for a group, which is for the menu alone.
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
  parameters: Parameters<P>;
  channels: readonly ChannelMode[];
  /** Most difference between a crop and the same pixels of the whole picture, as a fraction of the picture's range. */
  cropBound: number;
  needs: readonly I[];
  /** Of these the ones that are needed with some settings. @default all */
  asks?(params: P): readonly I[];
  /** The domain that it is made for; on another it runs too, and the screen says so. @default any */
  madeFor?: Domain;
  /** What the picture is after it. @default what it was */
  output?(input: PictureState, params: P): PictureState;
  halo(params: P, facts: Facts<I>): number;
  /** `place`: where the region lies in the picture, for what goes by a grid of the whole, and what of the result is used: the rest may be left as it was. */
  run(region: Raster, params: P, facts: Facts<I>, job: JobHandle, place: Place): Raster | Promise<Raster>;
  can: Capabilities<P, I>;
  /** Why it has nothing to do on this picture, in words; it is not run there then. Null where it works. */
  idle?(params: P, facts: Facts<I>): string | null;
  /** Settings to begin with, by what they do to the picture. */
  startingPoints?: readonly { label: string; hint: string; params: Partial<P> }[];
  /** Weight (0 … 1) of what it makes of a slightly disturbed picture in measuring the noise that it leaves (core/chain/noiseLeft.ts). @default linear: the halves alone measure it */
  disturbedWeight?: number;
  /** What parameters of an older version are in the next one, by that older version; none where they kept their meaning. */
  migrations?: Readonly<Record<number, (params: Record<string, unknown>) => Record<string, unknown>>>;
}

/** What only some operations can do. */
export interface Capabilities<P, I extends FactId> {
  strength: Strength<P>;
  /** It takes noise away, and leaves the light what it was. */
  noiseReduction?: true;
  /** It raises detail without a model of the blur. */
  detailGain?: true;
  /** It takes blur back. */
  restoration?: Restoring<P, I>;
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
  spared?(
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

/** How much of an effect goes into a picture: of its light (the mean of the channels) and of its colour (what differs from that), or of each channel. */
export type Shares = { light: number; colour: number } | { each: readonly number[] };

export interface Place {
  /** Of the region's first pixel. */
  x: number;
  y: number;
  /** Counted from there. @default all of the region */
  kept?: Region;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- the registry holds operations of different parameters
export type AnyOperation = Operation<any, any>;
