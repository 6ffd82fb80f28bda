import type { JobHandle } from "../job";
import type { ChainInput } from "./input";
import { restorationOf } from "./restoration";
import { onOwnGrid } from "./ownGrid";
import type { StepFacts } from "./ready";
import { readySteps } from "./ready";
import type { ChainStep } from "./schema";
import { overPlaces, placesOf } from "./overPlaces";

export interface StoppingCurve {
  values: number[];
  /** Error by value, as the halves show it: mean square over the noise's variance, but for a constant. */
  risk: number[];
  /** The value of least error; null where values make no difference. */
  best: number | null;
}

/** Numbers of iterations that are looked at. */
const VALUES = [1, 2, 3, 5, 8, 12, 18, 26, 38, 55, 80, 100];
/** Risks that differ by less are alike. */
const LEAST_DIFFERENCE = 0.002;

/**
 * How far step `index` should go on, as the halves show it (restoration.ts): its least is where
 * further iterations cost more noise than they bring
 * detail. Null where there are no halves, or the step does not go on by itself.
 */
export async function stoppingCurve(
  whole: ChainInput,
  steps: readonly ChainStep[],
  facts: readonly StepFacts[],
  index: number,
  job: JobHandle,
): Promise<StoppingCurve | null> {
  const { input, steps: upTo } = onOwnGrid(whole, readySteps(steps.slice(0, index + 1), facts), job);
  const last = upTo.at(-1);
  const stopping = last?.operation.can.stopping;
  if (!input.halves || !steps[index]?.on || !last || !stopping) return null;
  const risk = VALUES.map(() => 0);
  const places = placesOf(input.picture);
  const isKnown = await overPlaces(places, VALUES.length, job, async (place) => {
    const restoration = await restorationOf(input, upTo.slice(0, -1), last, place, job);
    if (!restoration) return null;
    return async (k) => {
      const params = { ...last.step.params, [stopping.field]: VALUES[k] };
      const squares = await restoration.squares({ ...last, step: { ...last.step, blend: 1, params } });
      risk[k] += weightedMean(squares, restoration.weight) / places.length;
    };
  });
  if (!isKnown) return null;
  const [least, most] = [Math.min(...risk), Math.max(...risk)];
  return { values: VALUES, risk, best: most - least > LEAST_DIFFERENCE ? VALUES[risk.indexOf(least)] : null };
}

/** The mean of what counts, weighted; 0 where nothing does. */
function weightedMean(squares: Float32Array, weight: Float32Array): number {
  let [sum, count] = [0, 0];
  squares.forEach((square, i) => {
    sum += weight[i] * square;
    count += weight[i] > 0 ? 1 : 0;
  });
  return count > 0 ? sum / count : 0;
}
