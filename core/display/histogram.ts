import type { Raster } from "../raster";

/** Bins from one sample to another: of equal width, or of equal ratio above `from` where logarithmic. */
export interface HistogramRange {
  from: number;
  to: number;
  bins: number;
  spacing: "linear" | "logarithmic";
}

/** Counts of the samples of each channel. */
export interface Histogram extends HistogramRange {
  counts: Float64Array[];
  /** Samples below `from` and from `to` on, by channel. */
  below: number[];
  above: number[];
  /** Samples that are there, by channel: bins, below and above; missing ones are not counted. */
  total: number[];
}

/** Logarithmic bins begin at this share of their range: what is less counts in the first. */
const FIRST_SHARE = 1e-5;

/**
 * Counts the samples of a picture. Linear: bin k holds from + (k … k + 1)(to − from)/bins.
 * Logarithmic: bin k holds what lies between 10⁻⁵ʳ and 10⁻⁵ˢ of the range above `from`, r and s
 * being 1 − k/bins and 1 − (k + 1)/bins; the first also what is less. NaN is not counted.
 * Throws RangeError for a range or a number of bins that is not positive.
 */
export function histogramOf({ planes }: Raster, range: HistogramRange): Histogram {
  const { from, to, bins, spacing } = range;
  if (!(to > from) || !(bins >= 1)) throw new RangeError(`bins from ${from} to ${to}, received ${bins}`);
  const out: Histogram = { ...range, counts: [], below: [], above: [], total: [] };
  const scale = 1 / (to - from);
  const perDecade = bins / -Math.log(FIRST_SHARE);
  for (const plane of planes) {
    const counts = new Float64Array(bins);
    let [below, above, missing] = [0, 0, 0];
    for (let i = 0; i < plane.length; i++) {
      const share = (plane[i] - from) * scale;
      if (share !== share) missing++;
      else if (share < 0) below++;
      else if (share >= 1) above++;
      else {
        const bin = spacing === "linear" ? share * bins : Math.max(0, bins + Math.log(share) * perDecade);
        counts[Math.min(bins - 1, Math.floor(bin))]++;
      }
    }
    out.counts.push(counts);
    out.below.push(below);
    out.above.push(above);
    out.total.push(plane.length - missing);
  }
  return out;
}

/** The histogram of several pictures together; all have the same range and channels. Throws RangeError for none. */
export function mergedHistograms(parts: readonly Histogram[]): Histogram {
  if (parts.length === 0) throw new RangeError("no histograms to merge");
  const [first] = parts;
  const sum = (of: (part: Histogram, c: number) => number) =>
    first.counts.map((_, c) => parts.reduce((all, part) => all + of(part, c), 0));
  return {
    ...first,
    counts: first.counts.map((counts, c) => counts.map((_, k) => parts.reduce((all, p) => all + p.counts[c][k], 0))),
    below: sum((part, c) => part.below[c]),
    above: sum((part, c) => part.above[c]),
    total: sum((part, c) => part.total[c]),
  };
}
