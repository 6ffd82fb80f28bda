import type { Measure } from "./measure";

/** What a chain costs. */
export const seconds: Measure = {
  id: "seconds",
  label: "Time",
  unit: "s/Mpx",
  group: "evidence",
  definition:
    "Seconds in which one worker treats a megapixel, told from this place with the surroundings that the chain needs; differs from run to run",
  better: null,
  digits: 1,
  valueOf: ({ views: { secondsPerMpx } }) => secondsPerMpx,
};
