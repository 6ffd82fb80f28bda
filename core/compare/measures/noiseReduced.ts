import type { Measure } from "./measure";
import { finite } from "./measure";
import { noiseLeft } from "./noiseLeft";

/** The same against the stack. */
export const noiseReduced: Measure = {
  id: "noiseDb",
  label: "Against the stack",
  unit: "dB",
  definition: "20 log₁₀ of the noise that is left over that of the untouched stack at the same place",
  better: "less",
  digits: 1,
  tell(of) {
    const { halves } = of.views;
    if (!halves) return null;
    const left = noiseLeft.tell(of);
    const untouched = noiseLeft.tell({ ...of, views: { ...of.views, treatedHalves: halves } });
    return left && untouched ? finite(20 * Math.log10(left / untouched)) : null;
  },
};
