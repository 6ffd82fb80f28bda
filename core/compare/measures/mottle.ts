import type { Measure } from "./measure";
import { finite } from "./measure";

/** Blotches: noise at 8 and 16 px. */
export const mottle: Measure = {
  id: "mottle",
  label: "Mottle",
  unit: "",
  group: "noise",
  definition:
    "Noise that is left at 8 and 16 px (starlet scales, root of the mean square) over the stack's: 1 where blotches stay as they were",
  better: "less",
  digits: 2,
  valueOf({ evidence }) {
    if (!evidence) return null;
    const { before, left } = evidence.noise;
    return finite(Math.hypot(left[3], left[4]) / Math.hypot(before[3], before[4]));
  },
};
