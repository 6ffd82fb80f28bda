"use client";

import { useState } from "react";
import type { HeldOut, LeastError } from "@/core/compare";
import { leastError } from "@/core/compare";
import { isEmptyRegion } from "@/core/raster";
import type { Rung } from "@/state/ladder";
import { treatmentOf } from "@/state/treatment";
import type { Board, Lane } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { useUnchanged } from "../kit/useUnchanged";
import { MEASURED_SIDE, measuredRegion } from "./geometry";

/** How long a ladder must rest before its errors are measured. */
const REST_MS = 600;

/** Side of the squares around the spots that are looked at, px. */
const SIDE = 1.5 * MEASURED_SIDE;

/**
 * Errors of a ladder's rungs, in their order, around all spots and around each; null where the
 * halves cannot show them. `left` places are still to come.
 */
export interface LadderErrors {
  told: LeastError | null;
  bySpot: ReadonlyMap<string, LeastError>;
  left: number;
  isPossible: boolean;
}

const NONE_YET: LadderErrors = { told: null, bySpot: new Map(), left: 0, isPossible: true };

/** The errors of a ladder's rungs as the halves show them, over squares around all spots: of the steps that the ladder changes. */
export function useLadderErrors(board: Board, rungs: readonly Rung[]): LadderErrors {
  const session = useSession();
  const { ladder, spots, view } = board;
  const { panX, panY } = view;
  const lanes = rungs.map(({ lane }) => lane);
  const asked = useUnchanged({ ladder, steps: lanes.map(({ steps }) => steps), spots, panX, panY });
  const [progress, setProgress] = useState<{ of: typeof asked; left: number } | null>(null);
  const { value, isCurrent } = useAnswer(asked, REST_MS, async (of, signal) => {
    const steps = board.lanes.find(({ id }) => id === of.ladder?.laneId)?.steps ?? [];
    const at = [of.ladder?.stepId, of.ladder?.second?.stepId ?? of.ladder?.stepId].map((wanted) =>
      steps.findIndex(({ id }) => id === wanted),
    );
    const [from, to] = [Math.min(...at), Math.max(...at)];
    let left = lanes.length * spots.length;
    /** By spot; null where one lies outside, or nothing can be measured. */
    const errorsOf = async (lane: Lane): Promise<(HeldOut | null)[]> => {
      const known = await treatmentOf(session, lane);
      if (!known) return [];
      const { stack, toPicture, treatment } = known;
      return Promise.all(
        of.spots.map(async (spot) => {
          const region = measuredRegion(stack.facts, spot, of, toPicture, SIDE);
          const error = isEmptyRegion(region)
            ? null
            : await session.evidence.heldOut(treatment, from, to, region, signal);
          left--;
          if (!signal.aborted) setProgress({ of, left });
          return error;
        }),
      );
    };
    const all = await Promise.all(lanes.map(errorsOf));
    const places = all.map((found) => found.flatMap((one) => one ?? []));
    const against = new Set(places.flatMap((found) => found.map((one) => one.against)));
    const isPossible = all.length > 1 && places.every((found) => found.length > 0) && against.size === 1;
    const ofSpot = of.spots.flatMap(({ id }, k): [string, LeastError][] => {
      const own = all.flatMap((found) => found[k] ?? []);
      return own.length === all.length ? [[id, leastError(own.map((one) => [one]))]] : [];
    });
    return { told: isPossible ? leastError(places) : null, bySpot: new Map(isPossible ? ofSpot : []), isPossible };
  });
  if (isCurrent && value) return { ...value, left: 0 };
  return { ...NONE_YET, left: progress?.of === asked ? progress.left : lanes.length * spots.length };
}
