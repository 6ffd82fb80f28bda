import type { Measure } from "./measure";

export const heldOut: Measure = {
  id: "error",
  label: "Held-out error",
  unit: "σ",
  group: "detail",
  definition:
    "Error of the lane in σ of the stack's noise, told by data that it has not seen: noise that is left and detail that is lost, together (1.03 for the untouched stack); not for lanes that take blur away, nor after a stretch",
  better: "less",
  digits: 2,
  valueOf: ({ evidence }) => evidence?.error ?? null,
};

export const unsupported: Measure = {
  id: "unsupported",
  label: "Light not in the data",
  unit: "%",
  group: "evidence",
  definition: "Share of the pixels at which the lane is brighter, over 5 to 27 px, than stack and noise allow (3 σ)",
  better: "less",
  digits: 2,
  valueOf: ({ evidence }) => evidence && 100 * evidence.unsupportedShare,
};

export const lost: Measure = {
  id: "lost",
  label: "Light lost",
  unit: "%",
  group: "evidence",
  definition: "Share of the pixels at which the lane is darker, over 5 to 27 px, than stack and noise allow (3 σ)",
  better: "less",
  digits: 2,
  valueOf: ({ evidence }) => evidence && 100 * evidence.lostShare,
};

export const removedCorrelation: Measure = {
  id: "removed",
  label: "Removed goes with picture",
  unit: "",
  group: "evidence",
  definition:
    "Correlation (−1 … 1), over scales of 1 … 8 px, of what the chain took away with what it shows: 0 where it took noise only",
  better: null,
  digits: 2,
  valueOf: ({ evidence }) => evidence && evidence.removed.correlation,
};
