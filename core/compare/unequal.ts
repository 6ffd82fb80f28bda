import type { ChainStep } from "../chain";
import { isStretched } from "../chain";

/** A lane as far as it may differ from another in more than its treatment. */
export interface ComparedLane {
  letter: string;
  stackId: string;
  stackName: string;
  /** Seconds of light that went into its stack; null where they are not known. */
  integrationS: number | null;
  steps: readonly ChainStep[];
  /** % of samples that its chain drove to black or white; null where it was not measured. */
  clipped: number | null;
}

/** More than this share of clipped samples is said, %. */
const CLIPPED = 0.1;
/** Times of light that differ by less are alike. */
const TIME_ALIKE = 0.02;

/** What makes a comparison of these lanes unfair, in sentences; none where all are alike but for their treatment. The first lane is what others are held against. */
export function unequalThings([first, ...others]: readonly ComparedLane[]): string[] {
  if (!first) return [];
  const lane = ({ letter }: ComparedLane) => `lane ${letter}`;
  const said: string[] = [];
  for (const other of others) {
    if (other.stackId !== first.stackId) {
      const [a, b] = [first.integrationS, other.integrationS];
      const longer =
        a && b && Math.abs(b / a - 1) > TIME_ALIKE ? `, with ${Math.round((100 * b) / a)} % of the time of light` : "";
      said.push(`${lane(other)} is of another stack, “${other.stackName}”${longer}`);
    }
  }
  const stretched = isStretched(first.steps);
  const apart = others.filter(({ steps }) => isStretched(steps) !== stretched);
  if (apart.length > 0) {
    const which =
      apart.length === 1 ? `${lane(apart[0])} is` : `lanes ${apart.map(({ letter }) => letter).join(", ")} are`;
    said.push(
      `${which} ${domainOf(!stretched)}, lane ${first.letter} ${domainOf(stretched)}: they are shown by different curves`,
    );
  }
  for (const one of [first, ...others])
    if (one.clipped !== null && one.clipped > CLIPPED)
      said.push(`the chain of ${lane(one)} drives ${one.clipped.toFixed(1)} % of the samples to black or white`);
  return said;
}

const domainOf = (isStretchedThere: boolean): string => (isStretchedThere ? "stretched" : "linear");
