"use client";

import { useEffect, useState } from "react";
import type { HeldOut, LeastError } from "@/core/compare";
import { leastError } from "@/core/compare";
import { isEmptyRegion } from "@/core/raster";
import type { Rung } from "@/state/ladder";
import { treatmentOf } from "@/state/treatment";
import type { Board } from "@/storage";
import { useSession } from "../frame/session";
import { MEASURED_SIDE, measuredRegion } from "./geometry";

/** How long a ladder must rest before its errors are told. */
const REST_MS = 600;

/** Side of the squares around the spots that are looked at, px. */
const SIDE = 1.5 * MEASURED_SIDE;

/** Errors of a ladder's rungs, in their order; null where the halves cannot tell them. `left` places are still to come. */
export interface LadderErrors {
  told: LeastError | null;
  left: number;
  isPossible: boolean;
}

/** The errors of a ladder's rungs as the halves tell them, over squares around all spots: of the steps that the ladder changes. */
export function useLadderErrors(board: Board, rungs: readonly Rung[]): LadderErrors {
  const session = useSession();
  const { ladder, spots, view } = board;
  const count = rungs.length * spots.length;
  const [state, setState] = useState<LadderErrors>({ told: null, left: count, isPossible: true });
  const key = JSON.stringify([ladder, rungs.map(({ lane }) => lane.steps), spots, view.panX, view.panY]);
  useEffect(() => {
    const abort = new AbortController();
    const base = board.lanes.find(({ id }) => id === ladder?.laneId);
    if (!base || !ladder) return;
    const at = [ladder.stepId, ladder.second?.stepId ?? ladder.stepId].map((wanted) =>
      base.steps.findIndex(({ id }) => id === wanted),
    );
    const [from, to] = [Math.min(...at), Math.max(...at)];
    let left = count;
    setState({ told: null, left, isPossible: true });
    const errorsOf = async ({ lane }: Rung): Promise<HeldOut[]> => {
      const known = await treatmentOf(session, lane);
      if (!known) return [];
      const { stack, toPicture, treatment } = known;
      const found = await Promise.all(
        spots.map(async (spot) => {
          const region = measuredRegion(stack.facts, spot, view, toPicture, SIDE);
          const told = isEmptyRegion(region)
            ? null
            : await session.evidence.heldOut(treatment, from, to, region, abort.signal);
          left--;
          if (!abort.signal.aborted) setState((before) => ({ ...before, left }));
          return told;
        }),
      );
      return found.flatMap((one) => one ?? []);
    };
    const timer = setTimeout(() => {
      Promise.all(rungs.map(errorsOf))
        .then((all) => {
          if (abort.signal.aborted) return;
          const isPossible = all.length > 1 && all.every((places) => places.length > 0);
          setState({ told: isPossible ? leastError(all) : null, left: 0, isPossible });
        })
        .catch(() => undefined); // stopped, or told under the crops
    }, REST_MS);
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [session, key]); // eslint-disable-line react-hooks/exhaustive-deps -- the key holds ladder, rungs, spots and view
  return state;
}
