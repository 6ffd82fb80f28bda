import { SNR_DEFINITION } from "../../measure";
import { meanAndDeviation, meanPlane } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";
import { noiseLeft } from "./noiseLeft";

export const snr: Measure = {
  id: "snr",
  label: "SNR",
  unit: "dB",
  group: "noise",
  definition: SNR_DEFINITION,
  better: "more",
  digits: 1,
  valueOf(of) {
    const noise = noiseLeft.valueOf(of);
    if (!noise || of.skyLevel === null) return null;
    const light = meanPlane(of.after).filter((v) => v === v);
    const signal = meanAndDeviation(light).mean - of.skyLevel;
    return signal > 0 ? finite(20 * Math.log10(signal / noise)) : null;
  },
};
