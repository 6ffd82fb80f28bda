import { rejectorOf } from "../combine";
import type { CombineSettings, Limits } from "../kernels";
import type { SubScatter } from "./scatter";
import type { StackSettings } from "./settings";

/** How outliers of a stack are found, and why so. */
export interface Rejection {
  id: string;
  why: string;
}

/**
 * The rejection that was asked for, or what stands in for it where the subs do not allow it. Left to Dunkel ("auto") it is the expected
 * noise, which no outlier can raise; with unknown noise the median distance; and none for two subs
 * or one, of which nothing says which is wrong.
 */
export function chooseRejection(
  { reject }: Pick<StackSettings, "reject">,
  used: readonly { scatter: SubScatter }[],
): Rejection {
  const isKnown = used.some(({ scatter }) => scatter.noise.some((variance) => variance > 0));
  if (reject === "auto") {
    if (used.length < 3)
      return { id: "none", why: `of ${used.length === 1 ? "one sub" : "two subs"} none can be told to be wrong` };
    return isKnown
      ? { id: "expected", why: "the subs' noise is known, and tells outliers from three subs on" }
      : { id: "mad", why: "the subs' noise is not known; the median distance holds no outlier" };
  }
  if (reject === "expected" && !isKnown)
    return {
      id: "mad",
      why: "the subs' noise, which was asked for, is not known: the median distance stands in for it",
    };
  return { id: reject, why: "asked for" };
}

/** How far a rejector goes by the settings, in its own measure. */
export function limitsOf(id: string, settings: StackSettings): Limits {
  switch (id) {
    case "percentile":
      return { low: settings.lowShare, high: settings.highShare };
    case "minmax":
      return { low: settings.lowCount, high: settings.highCount };
    case "esd":
      return { low: settings.mostOutliers, high: settings.significance };
    default:
      return { low: settings.lowSigma, high: settings.highSigma };
  }
}

export const combineSettings = ({ id }: Rejection, settings: StackSettings): CombineSettings => ({
  by: settings.combine,
  rejector: rejectorOf(id),
  limits: limitsOf(id, settings),
});
