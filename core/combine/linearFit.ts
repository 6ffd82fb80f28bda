import type { Kept, Limits, Rejector } from "../kernels";
import { ROUNDS } from "./sorted";

/**
 * Fits a line to the sorted values over their places in the order and drops from the ends what lies beyond low and high times the mean distance to it,
 * round after round, at most five; nothing from fewer than five values. Source: common practice, from memory.
 */
function clipByLine(sorted: Float64Array, _: number, limits: Limits, kept: Kept): void {
  for (let round = 0; round < ROUNDS && kept.end - kept.first > 4; round++) {
    const { first } = kept;
    const n = kept.end - first;
    const centre = (n - 1) / 2;
    let sum = 0;
    let moment = 0;
    let norm = 0;
    for (let i = 0; i < n; i++) {
      const v = sorted[first + i];
      const t = i - centre;
      sum += v;
      moment += t * v;
      norm += t * t;
    }
    const mean = sum / n;
    const slope = moment / norm;
    let scatter = 0;
    for (let i = 0; i < n; i++) scatter += Math.abs(sorted[first + i] - mean - slope * (i - centre));
    const sigma = scatter / n;
    let from = 0;
    let to = n;
    while (from < to && mean + slope * (from - centre) - sorted[first + from] > limits.low * sigma) from++;
    while (to > from && sorted[first + to - 1] - mean - slope * (to - 1 - centre) > limits.high * sigma) to--;
    if ((from === 0 && to === n) || to <= from) return;
    kept.first = first + from;
    kept.end = first + to;
  }
}

export const linearFit: Rejector = {
  id: "linear",
  label: "off a line through the sorted samples",
  narrow: clipByLine,
  twin: 4,
};
