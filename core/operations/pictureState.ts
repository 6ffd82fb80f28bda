import type { Warp } from "../register";
import { IDENTITY } from "../register";

/** What samples are: proportional to light, or made for the eye. */
export type Domain = "linear" | "stretched";

/** What a picture is before and after a step: whoever must know whether it is linear, where its sky lies or what is white in it asks here. */
export interface PictureState {
  width: number;
  height: number;
  channels: number;
  domain: Domain;
  /** Sample that is shown white: full scale of a linear picture. */
  white: number;
  /** Level of the sky (mean of the channels); null where it is not known, as after a step that moves it. */
  sky: number | null;
  /** From its pixels to those of the picture that the chain began with. */
  toSource: Warp;
}

/** A picture as it comes: linear, on its own pixels. */
export const untouchedState = (
  { width, height, channels }: Pick<PictureState, "width" | "height" | "channels">,
  { white = 1, sky = null }: Partial<Pick<PictureState, "white" | "sky">> = {},
): PictureState => ({ width, height, channels, domain: "linear", white, sky, toSource: IDENTITY });
