import type { Rejector } from "../kernels";
import { extremeDeviate } from "./esd";
import { expected } from "./expected";
import { kappaSigma } from "./kappaSigma";
import { linearFit } from "./linearFit";
import { medianDistance } from "./mad";
import { nothing } from "./nothing";
import { extremes, percentile } from "./trims";
import { winsorised } from "./winsorised";

/** Every way to reject outliers, in the order in which they are offered. A new one is one line here. */
export const REJECTORS: readonly Rejector[] = [
  expected,
  kappaSigma,
  winsorised,
  medianDistance,
  linearFit,
  extremeDeviate,
  percentile,
  extremes,
  nothing,
];

/** By id; RangeError for an unknown one. */
export function rejectorOf(id: string): Rejector {
  const found = REJECTORS.find((rejector) => rejector.id === id);
  if (!found) throw new RangeError(`rejection must be one of ${REJECTORS.map((r) => r.id).join(", ")}, received ${id}`);
  return found;
}
