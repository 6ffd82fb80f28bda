import type { Kept, Rejector } from "../kernels";

/** Drops so many values from each end, unless that would leave none. */
function trim(count: number, low: number, high: number, kept: Kept): void {
  if (low + high >= count) return;
  kept.first = low;
  kept.end = count - high;
}

/** Drops a share of the lowest values and a share of the highest: a trimmed mean. Source: Huber & Ronchetti, Robust Statistics, 2009, 3.3. */
export const percentile: Rejector = {
  id: "percentile",
  label: "a share of the lowest and highest",
  narrow: (_, count, { low, high }, kept) =>
    trim(count, Math.floor(low * count + 1e-9), Math.floor(high * count + 1e-9), kept),
  twin: 5,
};

/** Drops so many of the lowest values and of the highest. Source: common practice. */
export const extremes: Rejector = {
  id: "minmax",
  label: "the lowest and highest",
  narrow: (_, count, { low, high }, kept) => trim(count, Math.floor(low), Math.floor(high), kept),
  twin: 6,
};
