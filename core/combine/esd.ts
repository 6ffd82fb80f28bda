import jstat from "jstat";
import type { Kept, Limits, Rejector, Table } from "../kernels";

/**
 * Critical values λ_i of the generalised test for n values and outliers 1 … r: λ_i = (n − i) t / √((n − i − 1 + t²)(n − i + 1)), t being the
 * quantile of Student's distribution of n − i − 1 degrees of freedom at 1 − α/(2 (n − i + 1)); 0 where too few values are left.
 */
export function criticalValues(n: number, most: number, significance: number): number[] {
  return Array.from({ length: most }, (_, k) => {
    const i = k + 1;
    const freedom = n - i - 1;
    if (freedom < 1) return 0;
    const t = jstat.studentt.inv(1 - significance / (2 * (n - i + 1)), freedom);
    return ((n - i) * t) / Math.sqrt((freedom + t * t) * (n - i + 1));
  });
}

/** `low`: the greatest share of values that may be outliers; `high`: the chance to find any in pure noise. */
function table(n: number, { low, high }: Limits): Table {
  const row = Math.max(1, Math.floor(low * n));
  const values = new Float64Array((n + 1) * row);
  for (let count = 3; count <= n; count++)
    values.set(criticalValues(count, Math.min(row, Math.max(1, Math.floor(low * count))), high), count * row);
  return { row, values };
}

/**
 * Generalised extreme studentised deviate test: the value farthest from the mean is set aside, again and again up to the greatest share; outliers
 * are all that were set aside up to the last whose distance over σ is above its critical value. Nothing from fewer than three values.
 * Source: Rosner 1983, Technometrics 25, 165; formulas as in the NIST/SEMATECH e-Handbook 1.3.5.17.3.
 */
function narrow(sorted: Float64Array, count: number, _: Limits, kept: Kept, known?: Table): void {
  if (!known) return;
  let from = 0;
  let to = count;
  for (let i = 1; i <= known.row && to - from > 2; i++) {
    const n = to - from;
    let sum = 0;
    for (let k = from; k < to; k++) sum += sorted[k];
    const mean = sum / n;
    let squares = 0;
    for (let k = from; k < to; k++) {
      const d = sorted[k] - mean;
      squares += d * d;
    }
    const sigma = Math.sqrt(squares / (n - 1));
    const below = mean - sorted[from];
    const above = sorted[to - 1] - mean;
    const critical = known.values[count * known.row + i - 1];
    if (!(critical > 0)) break;
    if (above >= below) to--;
    else from++;
    if (Math.max(above, below) > critical * sigma) {
      kept.first = from;
      kept.end = to;
    }
  }
}

export const extremeDeviate: Rejector = { id: "esd", label: "by the generalised ESD test", narrow, table, twin: 7 };
