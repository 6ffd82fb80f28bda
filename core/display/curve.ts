import type { LevelsFact } from "../facts";
import type { Parameters } from "../parameters";

/** How one channel of a linear picture is shown: samples from black on become more than 0, from white on 1. */
export interface ChannelCurve {
  black: number;
  white: number;
  /** The same for curves of the same shape between black and white. */
  shape: string;
  /** 0 at black, 1 at white; outside as the formula goes on. */
  at(sample: number): number;
}

/** A way of showing linear pictures. It changes what is seen, never the data. */
export interface DisplayCurve<P> {
  id: string;
  title: string;
  parameters: Parameters<P>;
  /** Its settings in a few words: "sky at 0.14, black 2.5 σ below". */
  words(params: P): string;
  /** A curve for each channel, by the sky of each and the picture's white. */
  channels(params: P, levels: LevelsFact): ChannelCurve[];
}

/** Samples through a curve. */
export const throughCurve = (plane: Float32Array, curve: ChannelCurve): Float32Array => plane.map((v) => curve.at(v));

/** The planes of a picture through the curves of its channels; the last curve serves those beyond. */
export const throughCurves = (planes: readonly Float32Array[], curves: readonly ChannelCurve[]): Float32Array[] =>
  planes.map((plane, c) => throughCurve(plane, curves[Math.min(c, curves.length - 1)]));
