import { clipped } from "./clipped";
import { detailKept } from "./detailKept";
import { elongation } from "./elongation";
import { evenness } from "./evenness";
import type { Measure } from "./measure";
import { mottle } from "./mottle";
import { noiseLeft } from "./noiseLeft";
import { noiseReduced } from "./noiseReduced";
import { ringing } from "./ringing";
import { snr } from "./snr";
import { starColour } from "./starColour";
import { starsInvented, starsKept, starsLost } from "./starsOf";
import { heldOut, lost, removedCorrelation, unsupported } from "./support";
import { width } from "./width";

/** Every measure of a lane, in the order in which they are shown. A new one is one file and one line here. */
export const MEASURES: readonly Measure[] = [
  noiseLeft,
  noiseReduced,
  snr,
  heldOut,
  detailKept,
  mottle,
  evenness,
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
];
