import type { Measure } from "./measure";
import { finite } from "./measure";

/** The spectrum's fine end as one figure; the evidence panel draws all of it. */
export const finePower: Measure = {
  id: "finePower",
  label: "Power at 2–4 px",
  unit: "dB",
  group: "detail",
  definition:
    "10 log₁₀ of the power of the lane’s light over that of the stack’s at periods of 2 to 4 px (mean over Fourier rings, Hann window): noise that was taken and detail that was lost lower it, sharpening raises it",
  better: null,
  digits: 1,
  valueOf({ evidence }) {
    const { power } = evidence?.rings ?? { power: null };
    if (!power) return null;
    const fine = (of: readonly number[]) => of.slice(of.length / 2).reduce((sum, v) => sum + v, 0);
    return finite(10 * Math.log10(fine(power.after) / fine(power.before)));
  },
};
