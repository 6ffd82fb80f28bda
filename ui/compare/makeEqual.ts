import type { Equalled, EqualMeasure } from "@/core/compare";
import { decidingStep } from "@/core/compare";
import type { SkyPatch } from "@/core/measure";
import { isEmptyRegion } from "@/core/raster";
import type { EqualSubject } from "@/engine/jobs/equal";
import { equalStrength, readEqual } from "@/engine/jobs/equal";
import { setStrengths } from "@/state/board";
import { affinityOf } from "@/state/ladder";
import type { ProjectSession } from "@/state/project";
import { treatmentOf } from "@/state/treatment";
import type { Board, Lane } from "@/storage";
import { measuredRegion } from "./geometry";
import { patchesOf } from "./useSkyPatches";

/** What lanes can be made equal in, by name. */
export const EQUAL_IN: Record<string, { label: string; measure: EqualMeasure }> = {
  all: { label: "noise left, all sizes", measure: { of: "noise", scale: null } },
  "0": { label: "noise left at 1 px", measure: { of: "noise", scale: 0 } },
  "1": { label: "noise left at 2 px", measure: { of: "noise", scale: 1 } },
  "2": { label: "noise left at 4 px", measure: { of: "noise", scale: 2 } },
  "3": { label: "noise left at 8 px", measure: { of: "noise", scale: 3 } },
  patches: { label: "grain in sky patches", measure: { of: "patches" } },
  width: { label: "width of the stars", measure: { of: "width" } },
};

/** What lanes are made equal to: what a lane has, a value, or a share of what the untouched stack has. */
export type EqualTo = { lane: Lane } | { value: number } | { share: number };

export interface MadeEqual {
  target: number;
  lanes: { lane: Lane; found: Equalled }[];
}

/**
 * Finds the strengths at which lanes have the same of a measure, and sets them as one change. A lane that cannot be
 * brought there stays as it is. Fails, in words, where there is nothing to measure.
 */
export async function makeEqual(
  session: ProjectSession,
  board: Board,
  lanes: readonly Lane[],
  { measure, to }: { measure: EqualMeasure; to: EqualTo },
  signal: AbortSignal,
): Promise<MadeEqual> {
  const base = "lane" in to ? to.lane : { ...board.lanes[0], steps: [] };
  const { value: has } = await readEqual(session.pool, await subjectOf(session, board, base, measure), null, signal);
  const target = "value" in to ? to.value : "share" in to ? has * to.share : has;
  if (!(target > 0))
    throw new Error(
      measure.of === "width"
        ? "No stars lie around the spots to measure a width of"
        : "This stack has no halves that show its noise: choose grain in sky patches",
    );
  const found = await Promise.all(
    lanes.map(async (lane) => ({
      lane,
      found: await equalStrength(session.pool, await subjectOf(session, board, lane, measure), target, signal),
    })),
  );
  const changes = found
    .filter((one) => one.found.isReached)
    .map(({ lane, found: { strength } }) => ({
      laneId: lane.id,
      stepId: lane.steps[decidingStep(lane.steps, measure)].id,
      strength,
    }));
  session.board.change((b) => setStrengths(b, changes));
  return { target, lanes: found };
}

/** Where a lane is measured: in sky patches, or in the squares of the figures under the crops, which are there already. */
async function subjectOf(
  session: ProjectSession,
  board: Board,
  lane: Lane,
  measure: EqualMeasure,
): Promise<EqualSubject> {
  const known = await treatmentOf(session, lane);
  if (!known) throw new Error(`Lane ${lane.letter} has no stack that is tied to the project`);
  const { stack, toPicture, treatment } = known;
  const index = decidingStep(treatment.steps, measure);
  const patches = index < 0 ? undefined : patchesOf(treatment.steps[index])?.patches;
  const places =
    measure.of === "patches"
      ? (patches ?? (await session.facts.skyPatches(treatment))).map((patch) => ({ region: squareOf(patch) }))
      : board.spots.map((spot) => ({
          region: measuredRegion(stack.facts, spot, board.view, toPicture),
          affinity: affinityOf(lane.id, spot.id, "measures"),
        }));
  return { treatment, index, places: places.filter(({ region }) => !isEmptyRegion(region)), measure };
}

const squareOf = ({ x, y, side }: SkyPatch) => ({
  x: Math.round(x - side / 2),
  y: Math.round(y - side / 2),
  width: side,
  height: side,
});
