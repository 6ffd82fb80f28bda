"use client";

import { fixed } from "../kit/format";
import type { MadeEqual } from "./makeEqual";

/** Sizes of detail at which noise is measured, px. */
const SIZES = [1, 2, 4, 8];

/** What was wanted, what each lane came to, and at which size of detail their noise differs most. */
export function EqualResult({
  made,
  inUnits,
  isNoise,
}: {
  made: MadeEqual;
  inUnits: (v: number) => string;
  isNoise: boolean;
}) {
  const apart = SIZES.map((_, j) => {
    const at = made.lanes
      .filter(({ found }) => found.isReached)
      .map(({ found }) => found.scales[j])
      .filter((v) => v > 0);
    return at.length > 1 ? Math.max(...at) / Math.min(...at) - 1 : 0;
  });
  const worst = apart.indexOf(Math.max(...apart));
  return (
    <div className="figures text-sm text-quiet" data-testid="equal-result">
      wanted <span className="text-text">{inUnits(made.target)}</span>
      {made.lanes.map(({ lane: { letter }, found }) => (
        <span key={letter}>
          {" · "}
          {found.isReached ? (
            <>
              {letter} strength <span className="text-text">{fixed(found.strength, 2)}</span>: {inUnits(found.before)} →{" "}
              <span className="text-text">{inUnits(found.reached)}</span> (
              {fixed(100 * (found.reached / made.target - 1), 1)} %)
            </>
          ) : (
            <span className="text-warn">
              {letter} stays at {inUnits(found.before)}: with the step at {found.strength} it comes to{" "}
              {inUnits(found.reached)} and no nearer
            </span>
          )}
        </span>
      ))}
      {isNoise && apart[worst] > 0.05 ? (
        <span>
          {" · "}at {SIZES[worst]} px they still differ by {Math.round(100 * apart[worst])} %
        </span>
      ) : null}
    </div>
  );
}
