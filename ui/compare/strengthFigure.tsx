"use client";

import { scaleLinear } from "d3-scale";
import { findOperation } from "@/core/operations";
import { PRIORITY } from "@/engine/pool";
import type { Lane, LaneStep } from "@/storage";
import { Button } from "../kit/button";
import { fixed } from "../kit/format";
import { CURVE_HEIGHT, CURVE_WIDTH, CurveFigure } from "./curveFigure";
import { useStepCurve } from "./useStepCurve";

interface Props {
  lane: Lane;
  step: LaneStep;
  index: number;
  onStrength: (strength: number) => void;
}

/** Under the strength: how much noise it leaves, its error over strength as the halves show it, and a button for the least. */
export function StrengthFigure({ lane, step, index, onStrength }: Props) {
  const operation = findOperation(step.operation);
  const free = Object.keys(operation?.can.strength?.mixes?.full ?? {});
  const curve = useStepCurve(lane, index, operation?.can.noiseReduction === true, free, (pool, treatment, signal) =>
    pool.run("strengthCurve", { treatment, index }, { priority: PRIORITY.measure, signal }),
  );
  if (!operation?.can.strength || !curve) return null;
  const strength = Number(step.params[operation.can.strength.field]);
  const { best, leftDb, error, strengths } = curve;
  const x = scaleLinear([strengths[0], strengths[strengths.length - 1]], [2, CURVE_WIDTH - 2]);
  const y = scaleLinear([0, Math.max(...error)], [CURVE_HEIGHT - 2, 2]);
  return (
    <div className="flex items-center gap-2 pb-1 text-sm text-quiet" data-testid="strength-figure">
      <CurveFigure
        label={
          best === null
            ? "Error over strength from the halves: alike at all"
            : `Error over strength from the halves, least at ${fixed(best, 2)}`
        }
        title="Error of the treated picture over strength, from the halves: where it is least, more costs more than it gains"
        points={error.map((v, k) => [x(strengths[k]), y(v)] as const)}
        present={x(strength)}
        least={best === null ? null : [x(best), y(at(error, strengths, best))]}
      />
      <span className="figures flex-1 whitespace-nowrap" title="Noise that remains, over that before this step">
        leaves {fixed(at(leftDb, strengths, strength), 1).replace("-", "−")} dB
      </span>
      {best === null ? (
        <span className="whitespace-nowrap" title="The halves tell no difference between strengths">
          no difference
        </span>
      ) : Math.abs(best - strength) >= 0.02 ? (
        <Button
          kind="plain"
          className="!px-1.5 !py-0 text-sm"
          help="Sets the strength at which the halves tell the least error"
          onClick={() => onStrength(best)}
        >
          best {fixed(best, 2)}
        </Button>
      ) : (
        <span className="whitespace-nowrap" title="The halves tell the least error here">
          best
        </span>
      )}
    </div>
  );
}

/** A value of a curve between its points. */
function at(values: readonly number[], strengths: readonly number[], strength: number): number {
  const k = Math.min(strengths.length - 2, Math.max(0, strengths.filter((s) => s <= strength).length - 1));
  const share = (strength - strengths[k]) / (strengths[k + 1] - strengths[k]);
  return values[k] + share * (values[k + 1] - values[k]);
}
