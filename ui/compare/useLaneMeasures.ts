"use client";

import { useState } from "react";
import type { LaneMeasures, Spot } from "@/core/compare";
import { EVIDENCE_SIDE } from "@/core/compare";
import { isEmptyRegion } from "@/core/raster";
import { treatmentOf } from "@/state/treatment";
import type { Board, Lane } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { measuredRegion } from "./geometry";

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
  const { panX, panY } = view;
  const count = lanes.length * spots.length;
  const [state, setState] = useState<TableState>({ values: new Map(), left: count });
  useAnswer({ lanes, spots, panX, panY }, REST_MS, async (asked, signal) => {
    const values = new Map<string, LaneMeasures>();
    let left = count;
    const show = () => signal.aborted || setState({ values: new Map(values), left });
    const measure = async (lane: Lane, spot: Spot) => {
      const known = await treatmentOf(session, lane).catch(() => null);
      if (!known || signal.aborted) return;
      const { stack, toPicture, treatment } = known;
      const region = measuredRegion(stack.facts, spot, asked, toPicture, EVIDENCE_SIDE);
      if (isEmptyRegion(region)) return;
      // What fails is said under the crops.
      const found = await session.evidence.measuresOf(treatment, region, stack.facts, signal).catch(() => null);
      if (found) values.set(placeKey(lane.id, spot.id), found);
    };
    show();
    await Promise.all(
      asked.lanes.flatMap((lane) =>
        asked.spots.map(async (spot) => {
          await measure(lane, spot);
          left--;
          show();
        }),
      ),
    );
  });
  return state;
}
