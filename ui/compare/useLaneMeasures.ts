"use client";

import { useEffect, useState } from "react";
import type { LaneMeasures } from "@/core/compare";
import { isEmptyRegion } from "@/core/raster";
import { treatmentOf } from "@/state/treatment";
import type { Board, Lane } from "@/storage";
import { useSession } from "../frame/session";
import { EVIDENCE_SIDE, measuredRegion } from "./geometry";

/** How long settings must rest before they are measured. */
const REST_MS = 700;

/** Measures by lane and spot, as far as they are known; `left` are still to come. */
export interface TableState {
  values: ReadonlyMap<string, LaneMeasures>;
  left: number;
}

export const placeKey = (laneId: string, spotId: string): string => `${laneId} ${spotId}`;

/** All measures of lanes at all spots: in squares of 192 px around them, those that are known at once, the others one by one. */
export function useLaneMeasures(lanes: readonly Lane[], { spots, view }: Board): TableState {
  const session = useSession();
  const [state, setState] = useState<TableState>({ values: new Map(), left: lanes.length * spots.length });
  const { panX, panY } = view;
  const key = JSON.stringify([lanes, spots, panX, panY]);
  useEffect(() => {
    const abort = new AbortController();
    const isGone = () => abort.signal.aborted;
    const values = new Map<string, LaneMeasures>();
    const count = lanes.length * spots.length;
    let left = count;
    const tell = () => !isGone() && setState({ values: new Map(values), left });
    const measure = async (lane: Lane) => {
      const known = await treatmentOf(session, lane).catch(() => null);
      await Promise.all(
        spots.map(async (spot) => {
          if (known && !isGone()) {
            const { stack, toPicture, treatment } = known;
            const region = measuredRegion(stack.facts, spot, { panX, panY }, toPicture, EVIDENCE_SIDE);
            if (!isEmptyRegion(region)) {
              // What fails is told under the crops.
              const found = await session.evidence
                .measuresOf(treatment, region, stack.facts, abort.signal)
                .catch(() => null);
              if (found) values.set(placeKey(lane.id, spot.id), found);
            }
          }
          left--;
          tell();
        }),
      );
    };
    const timer = setTimeout(() => {
      tell();
      for (const lane of lanes) measure(lane).catch((error: unknown) => session.report(error));
    }, REST_MS);
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [session, key]); // eslint-disable-line react-hooks/exhaustive-deps -- the key holds lanes, spots and view
  return state;
}
