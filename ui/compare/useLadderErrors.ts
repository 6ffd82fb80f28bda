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

/** Errors of a ladder's rungs, in their order, around all spots and around each; null where the halves cannot tell them. `left` places are still to come. */
export interface LadderErrors {
  told: LeastError | null;
  bySpot: ReadonlyMap<string, LeastError>;
  left: number;
  isPossible: boolean;
}

const NONE_YET: LadderErrors = { told: null, bySpot: new Map(), left: 0, isPossible: true };

/** The errors of a ladder's rungs as the halves tell them, over squares around all spots: of the steps that the ladder changes. */
export function useLadderErrors(board: Board, rungs: readonly Rung[]): LadderErrors {
  const session = useSession();
  const { ladder, spots, view } = board;
  const count = rungs.length * spots.length;
  const [state, setState] = useState<LadderErrors>({ ...NONE_YET, left: count });
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
    setState({ ...NONE_YET, left });
    /** By spot; null where one lies outside, or nothing can be told. */
    const errorsOf = async ({ lane }: Rung): Promise<(HeldOut | null)[]> => {
      const known = await treatmentOf(session, lane);
      if (!known) return [];
      const { stack, toPicture, treatment } = known;
      return Promise.all(
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
    };
    const timer = setTimeout(() => {
      Promise.all(rungs.map(errorsOf))
        .then((all) => {
          if (abort.signal.aborted) return;
          const places = all.map((found) => found.flatMap((one) => one ?? []));
          const against = new Set(places.flatMap((found) => found.map((one) => one.against)));
          const isPossible = all.length > 1 && places.every((found) => found.length > 0) && against.size === 1;
          const ofSpot = spots.flatMap(({ id }, k): [string, LeastError][] => {
            const own = all.flatMap((found) => found[k] ?? []);
            return own.length === all.length ? [[id, leastError(own.map((one) => [one]))]] : [];
          });
          setState({
            told: isPossible ? leastError(places) : null,
            bySpot: new Map(isPossible ? ofSpot : []),
            left: 0,
            isPossible,
          });
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
