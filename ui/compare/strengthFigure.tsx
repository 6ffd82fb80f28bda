"use client";

import { scaleLinear } from "d3-scale";
import { useEffect, useRef, useState } from "react";
import type { StrengthCurve } from "@/core/chain";
import { findOperation } from "@/core/operations";
import { PRIORITY } from "@/engine/pool";
import type { Lane, LaneStep } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { fixed } from "../kit/format";
import { useLaneTreatment } from "./useTreatment";

/** How long a step must rest before its curve is made. */
const REST_MS = 1500;
const [WIDTH, HEIGHT] = [72, 28];

interface Props {
  lane: Lane;
  step: LaneStep;
  index: number;
  onStrength: (strength: number) => void;
}

/** Under the strength: how much noise it leaves, its error over strength as the halves tell it, and a button for the least. */
export function StrengthFigure({ lane, step, index, onStrength }: Props) {
  const curve = useCurve(lane, step, index);
  const operation = findOperation(step.operation);
  if (!operation || !curve) return null;
  const strength = Number(step.params[operation.strength]);
  const { best, leftDb, error, strengths } = curve;
  const x = scaleLinear([strengths[0], strengths[strengths.length - 1]], [2, WIDTH - 2]);
  const y = scaleLinear([0, Math.max(...error)], [HEIGHT - 2, 2]);
  const points = error.map((v, k) => `${x(strengths[k])},${y(v)}`).join(" ");
  return (
    <div className="flex items-center gap-2 pb-1 text-sm text-quiet" data-testid="strength-figure">
      <svg
        width={WIDTH}
        height={HEIGHT}
        className="shrink-0"
        role="img"
        aria-label={
          best === null
            ? "Error over strength from the halves: alike at all"
            : `Error over strength from the halves, least at ${fixed(best, 2)}`
        }
      >
        <title>
          Error of the treated picture over strength, from the halves: where it is least, more costs more than it gains
        </title>
        <polyline points={points} fill="none" stroke="#a3a3a3" />
        <line x1={x(strength)} x2={x(strength)} y1={0} y2={HEIGHT} stroke="#e8e8e8" strokeDasharray="2 2" />
        {best === null ? null : <circle cx={x(best)} cy={y(at(error, strengths, best))} r={2.5} fill="#e0a44a" />}
      </svg>
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

/** The curve of a step, once its settings have rested; null until then, and where there are no halves. */
function useCurve(lane: Lane, step: LaneStep, index: number): StrengthCurve | null {
  const session = useSession();
  const { treatment, settling } = useLaneTreatment(lane);
  const [known, setKnown] = useState<{ key: string; curve: StrengthCurve | null } | null>(null);
  const operation = findOperation(step.operation);
  const isTold = treatment?.halves && !settling && step.on && operation?.group === "noise";
  const key = isTold
    ? keyOf(treatment.picture.id, lane.steps.slice(0, index + 1), treatment.facts.slice(0, index + 1))
    : null;
  const latest = useRef(treatment);
  latest.current = treatment;
  useEffect(() => {
    const asked = latest.current;
    if (key === null || !asked) return;
    const abort = new AbortController();
    const timer = setTimeout(() => {
      session.pool
        .run("strengthCurve", { treatment: asked, index }, { priority: PRIORITY.measure, signal: abort.signal })
        .then((curve) => setKnown({ key, curve }))
        .catch(() => undefined); // stopped, or told under the crops
    }, REST_MS);
    return () => {
      clearTimeout(timer);
      abort.abort();
    };
  }, [session, key, index]);
  return known?.key === key ? known.curve : null;
}

/** What a curve depends on: all settings up to its step, but for those that are only how much of it goes into the picture. */
function keyOf(pictureId: string, steps: readonly LaneStep[], facts: readonly unknown[]): string {
  const last = steps.length - 1;
  const settings = steps.map(({ operation, params, channels, blend, mask, on }, k) => [
    operation,
    k === last ? { ...params, ...findOperation(operation)?.mixes?.full } : params,
    ...[channels, blend, mask, on],
  ]);
  return JSON.stringify([pictureId, settings, facts]);
}
