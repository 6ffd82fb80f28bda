import { clipped } from "./clipped";
import { detailKept } from "./detailKept";
import { edgeWidth } from "./edgeWidth";
import { elongation } from "./elongation";
import { evenness } from "./evenness";
import type { Measure } from "./measure";
import { finePower } from "./finePower";
import { grain } from "./grain";
import { mottle } from "./mottle";
import { noiseLeft } from "./noiseLeft";
import { noiseOfChannels } from "./noiseOfChannel";
import { noiseReduced } from "./noiseReduced";
import { ringing } from "./ringing";
import { seconds } from "./seconds";
import { snr } from "./snr";
import { starColour } from "./starColour";
import { starsInvented, starsKept, starsLost } from "./starsOf";
import { heldOut, lost, removedCorrelation, unsupported } from "./support";
import { width } from "./width";

/** Every measure of a lane, in the order in which they are shown. A new one is one file and one line here. */
export const MEASURES: readonly Measure[] = [
  noiseLeft,
  noiseReduced,
  ...noiseOfChannels,
  grain,
  snr,
  mottle,
  evenness,
  heldOut,
  detailKept,
  finePower,
  edgeWidth,
  width,
  elongation,
  starsKept,
  starsInvented,
  starsLost,
  starColour,
  ringing,
  unsupported,
  lost,
  removedCorrelation,
  clipped,
  seconds,
];
