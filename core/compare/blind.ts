import * as z from "zod";
import { line } from "../formats/csv";
import type { Random } from "../numeric/random";

/** A pair as it is shown: which lane is at the left, which at the right. */
export interface BlindPair {
  spotId: string;
  left: string;
  right: string;
}

export type BlindChoice = "left" | "right" | "same";

/** Every pair of lanes at every spot, so many times, in an order and with sides by chance. Fewer than two lanes or no spot give none. */
export function blindPairs(
  laneIds: readonly string[],
  spotIds: readonly string[],
  rounds: number,
  random: Pick<Random, "uniform">,
): BlindPair[] {
  const pairs: BlindPair[] = [];
  for (let round = 0; round < rounds; round++)
    for (const spotId of spotIds)
      laneIds.forEach((a, i) =>
        laneIds.slice(i + 1).forEach((b) => {
          const [left, right] = random.uniform() < 0.5 ? [a, b] : [b, a];
          pairs.push({ spotId, left, right });
        }),
      );
  // Fisher–Yates.
  for (let i = pairs.length - 1; i > 0; i--) {
    const k = Math.floor(random.uniform() * (i + 1));
    [pairs[i], pairs[k]] = [pairs[k], pairs[i]];
  }
  return pairs;
}

/** How often each of two lanes was found better, and the chance of so uneven a count, or more, by luck. */
export interface BlindCount {
  a: string;
  b: string;
  forA: number;
  forB: number;
  same: number;
  chance: number;
}

/** The counts of every pair of lanes; of `choices` only as many pairs count as were chosen. */
export function blindCounts(pairs: readonly BlindPair[], choices: readonly BlindChoice[]): BlindCount[] {
  const counts = new Map<string, BlindCount>();
  choices.forEach((choice, k) => {
    const { left, right } = pairs[k];
    const [a, b] = [left, right].sort();
    const count = counts.get(`${a} ${b}`) ?? { a, b, forA: 0, forB: 0, same: 0, chance: 1 };
    const better = choice === "same" ? null : choice === "left" ? left : right;
    if (better === null) count.same++;
    else if (better === a) count.forA++;
    else count.forB++;
    counts.set(`${a} ${b}`, count);
  });
  return [...counts.values()].map((count) => ({ ...count, chance: evenChance(count.forA, count.forB) }));
}

/**
 * Exact two-sided binomial test against 1/2: the chance that of n = a + b choices so many or more fall on one side, either one; 1 for none. Source: Clopper & Pearson's exact test in its common form; values in handbooks, e.g. 9 of 10: 0.0215.
 */
export function evenChance(a: number, b: number): number {
  const n = a + b;
  const most = Math.max(a, b);
  let [term, sum] = [0.5 ** n, 0];
  // term: n over k, times 2⁻ⁿ.
  for (let k = 0; k <= n; k++) {
    if (k >= most) sum += term;
    term *= (n - k) / (k + 1);
  }
  return Math.min(1, 2 * sum);
}

/** A trial as it is kept: which lanes they were, by letter with what they did, and every choice in the order in which it was made. */
export const blindRecord = z.object({
  lanes: z.array(z.object({ letter: z.string().max(8), words: z.string().max(400) })),
  choices: z
    .array(
      z.object({
        spot: z.string().max(80),
        left: z.string().max(8),
        right: z.string().max(8),
        choice: z.enum(["left", "same", "right"]),
      }),
    )
    .max(2000),
});
export type BlindRecord = z.infer<typeof blindRecord>;

/** What was chosen in a row of a record: the letter of the better lane; "" for no difference. */
export const chosenOf = ({ left, right, choice }: BlindRecord["choices"][number]): string =>
  choice === "same" ? "" : choice === "left" ? left : right;

/** The choices as CSV, one row each. */
export function blindCsv({ choices }: BlindRecord): string {
  const rows = choices.map((row, k) => line([k + 1, row.spot, row.left, row.right, chosenOf(row) || "no difference"]));
  return [line(["Pair", "Spot", "Left", "Right", "Better"]), ...rows].join("");
}
