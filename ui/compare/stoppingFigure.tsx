"use client";

import { scaleLinear, scaleLog } from "d3-scale";
import { findOperation } from "@/core/operations";
import { PRIORITY } from "@/engine/pool";
import type { Lane, LaneStep } from "@/storage";
import { Button } from "../kit/button";
import { CURVE_HEIGHT, CURVE_WIDTH, CurveFigure } from "./curveFigure";
import { useStepCurve } from "./useStepCurve";

interface Props {
  lane: Lane;
  step: LaneStep;
  index: number;
  onValue: (value: number) => void;
}

/** Under the setting that says how long a step goes on: its error over that as the halves show it, and a button for the least. */
export function StoppingFigure({ lane, step, index, onValue }: Props) {
  const stopping = findOperation(step.operation)?.can.stopping;
  const curve = useStepCurve(
    lane,
    index,
    stopping !== undefined,
    stopping ? [stopping.field] : [],
    (pool, treatment, signal) =>
      pool.run("stoppingCurve", { treatment, index }, { priority: PRIORITY.measure, signal }),
  );
  if (!stopping || !curve) return null;
  const { values, risk, best } = curve;
  const value = Number(step.params[stopping.field]);
  const x = scaleLog([values[0], values[values.length - 1]], [2, CURVE_WIDTH - 2]).clamp(true);
  const y = scaleLinear([Math.min(...risk), Math.max(...risk)], [CURVE_HEIGHT - 4, 2]);
  return (
    <div className="flex items-center gap-2 pb-1 text-sm text-quiet" data-testid="stopping-figure">
      <CurveFigure
        label={
          best === null
            ? "Error over iterations from the halves: alike at all"
            : `Error over iterations from the halves, least at ${best}`
        }
        title="Error over iterations, as the halves tell it: each restored half against the other; after its least, more cost more noise than they bring detail"
        points={risk.map((v, k) => [x(values[k]), y(v)] as const)}
        present={x(value)}
        least={best === null ? null : [x(best), y(risk[values.indexOf(best)])]}
      />
      <span className="flex-1 whitespace-nowrap">{best === null ? "no difference" : "the halves call best"}</span>
      {best === null ? null : best === value ? (
        <span>this</span>
      ) : (
        <Button
          kind="plain"
          className="!px-1.5 !py-0 text-sm"
          help="Sets the number of iterations at which the halves tell the least error"
          onClick={() => onValue(best)}
        >
          {best}
        </Button>
      )}
    </div>
  );
}
