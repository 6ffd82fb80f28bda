import type { SubMeasures } from "../measure";
import type { StackSettings } from "./settings";
import { axisRatio } from "./reference";

/** What subs are ranked by, less being better; what is not known comes last. */
const RANKS: Record<Exclude<StackSettings["keepBy"], "all">, { words: string; rank: (m: SubMeasures) => number }> = {
  sharpness: { words: "the sharpest", rank: ({ fwhmPx }) => fwhmPx ?? Infinity },
  roundness: { words: "those of the roundest stars", rank: ({ eccentricity }) => -axisRatio(eccentricity ?? 1) },
  noise: {
    words: "those of the least noise",
    rank: ({ noise }) => noise.reduce((sum, sigma) => sum + (sigma > 0 ? sigma : Infinity), 0),
  },
};

/** Why each sub is left out that is not among the best share, by id; of equals the first stay, and at least one does. */
export function leftByShare(
  subs: readonly { id: string; measures: SubMeasures }[],
  { keepBy, keepShare, referenceId }: Pick<StackSettings, "keepBy" | "keepShare" | "referenceId">,
): Map<string, string> {
  if (keepBy === "all") return new Map();
  const { words, rank } = RANKS[keepBy];
  const sorted = [...subs].sort((a, b) => rank(a.measures) - rank(b.measures));
  const kept = Math.max(1, Math.round(keepShare * sorted.length));
  const reason = `is not among ${words} ${Math.round(100 * keepShare)} %`;
  return new Map(
    sorted
      .slice(kept)
      .filter(({ id }) => id !== referenceId)
      .map(({ id }) => [id, reason]),
  );
}
