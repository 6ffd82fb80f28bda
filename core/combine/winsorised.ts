import { SIGMA_PER_MAD, type Kept, type Limits, type Rejector } from "../kernels";
import { drop, madOf, middleOf, ROUNDS } from "./sorted";

/** Values are drawn in to this many σ; σ of what comes of it times 1.134 is that of normal noise again. */
const DRAWN_IN = 1.5;
const SIGMA_PER_DRAWN = 1.134;

/**
 * κ-sigma clipping with a σ that outliers hardly raise: values beyond median ± 1.5 σ are drawn in to there, σ is measured on them (× 1.134) and
 * so on until it changes by less than 0.05 %; it begins with 1.4826 MAD. Then what lies beyond low·σ and high·σ is dropped, and all again with what is left,
 * at most five rounds. Source: Huber & Ronchetti, Robust Statistics, 2009, 1.2 (winsorised residuals); the factor is that of normal noise drawn in at 1.5 σ.
 */
function clipWinsorised(sorted: Float64Array, _: number, limits: Limits, kept: Kept): void {
  for (let round = 0; round < ROUNDS && kept.end - kept.first > 1; round++) {
    const { first, end } = kept;
    const n = end - first;
    const median = middleOf(sorted, kept);
    let sigma = SIGMA_PER_MAD * madOf(sorted, median, kept);
    for (let turn = 0; turn < 10; turn++) {
      const least = median - DRAWN_IN * sigma;
      const most = median + DRAWN_IN * sigma;
      let sum = 0;
      for (let i = first; i < end; i++) sum += Math.min(most, Math.max(least, sorted[i]));
      const mean = sum / n;
      let squares = 0;
      for (let i = first; i < end; i++) {
        const d = Math.min(most, Math.max(least, sorted[i])) - mean;
        squares += d * d;
      }
      const next = SIGMA_PER_DRAWN * Math.sqrt(squares / n);
      const isDone = Math.abs(next - sigma) <= 0.0005 * sigma;
      sigma = next;
      if (isDone) break;
    }
    if (!drop(sorted, kept, median - limits.low * sigma, median + limits.high * sigma)) return;
  }
}

export const winsorised: Rejector = {
  id: "winsor",
  label: "beyond winsorised σ",
  narrow: clipWinsorised,
  twin: 2,
};
