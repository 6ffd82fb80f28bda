import { kappaSigma } from "./kappaSigma";
import { nothing } from "./nothing";
import type { Rejector } from "../kernels";

/** Every way to reject outliers, in the order in which they are offered; the first is the default. A new one is one line here. */
export const REJECTORS: readonly Rejector[] = [kappaSigma, nothing];

/** By id; RangeError for an unknown one. */
export function rejectorOf(id: string): Rejector {
  const found = REJECTORS.find((rejector) => rejector.id === id);
  if (!found) throw new RangeError(`rejection must be one of ${REJECTORS.map((r) => r.id).join(", ")}, received ${id}`);
  return found;
}
