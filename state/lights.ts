import type { FrameSet, GradedFrame, Rule, Verdict } from "@/core/choose";
import { applyRules, fullLightOf, setsOf, tellingKeys } from "@/core/choose";
import { patchDifference } from "@/core/measure";
import type { SubFacts } from "@/core/stack";
import { relativeWeights } from "@/engine/grade";
import type { ProjectRecord, SubRecord } from "@/storage";
import type { CalibrationRef } from "@/engine/frames";
import { calibratedScale } from "@/engine/tasks/subs";

/** The lights of a project as they are chosen from: with measures, in sets, and whether each is in. */
export interface Grades {
  lights: SubRecord[];
  sets: FrameSet<GradedFrame>[];
  frames: Map<string, GradedFrame>;
  verdicts: Map<string, Verdict>;
}

export const lightsOf = (subs: readonly SubRecord[]): SubRecord[] => subs.filter(({ type }) => type === "light");

/** A sub as rules, charts and tables see it. */
export function gradedFrame(
  sub: SubRecord,
  { order, weight, fullLight }: Pick<GradedFrame, "order" | "weight" | "fullLight">,
  project: ProjectRecord,
): GradedFrame {
  const { settings } = project.calibration;
  return {
    id: sub.id,
    name: sub.name,
    order,
    width: sub.measuredSize.width,
    height: sub.measuredSize.height,
    unit: sub.unit,
    metadata: sub.metadata,
    pixelScale: calibratedScale(sub.metadata, sub.measuredThrough === null ? null : settings),
    measures: sub.measures,
    video: sub.video,
    relation: sub.relation?.value ?? null,
    ...{ fullLight, weight },
    patchDifference: sub.patches ? patchDifference(sub.patches.levels.map((level) => level ?? NaN)) : null,
  };
}

/** Measures, sets and verdicts of all lights; weights and "the best n %" count within each set. */
export function gradeLights(subs: readonly SubRecord[], project: ProjectRecord): Grades {
  const lights = lightsOf(subs);
  const keys = tellingKeys(lights);
  const sets: FrameSet<GradedFrame>[] = [];
  const frames = new Map<string, GradedFrame>();
  const verdicts = new Map<string, Verdict>();
  const fullLight = fullLightOf(
    lights.map(({ id, metadata, relation }) => ({ id, metadata, relation: relation?.value ?? null })),
    lights.find(({ relation }) => relation !== null)?.relation?.to ?? null,
  );
  const orders = new Map(lights.map(({ id }, order) => [id, order + 1]));
  for (const set of setsOf(lights, keys)) {
    const weights = relativeWeights(
      // What a frame of a video adds hangs on its sharpness, not on its noise.
      set.frames.map(({ id, measures, relation, video }) => ({
        id,
        measures,
        relation: video ? null : (relation?.value ?? null),
      })),
    );
    const graded = set.frames.map((sub) =>
      gradedFrame(
        sub,
        {
          order: orders.get(sub.id) ?? 0,
          weight: weights.get(sub.id) ?? null,
          fullLight: fullLight.get(sub.id) ?? 1,
        },
        project,
      ),
    );
    for (const frame of graded) frames.set(frame.id, frame);
    for (const [id, verdict] of judge(graded, set.frames, project.rules)) verdicts.set(id, verdict);
    sets.push({ ...set, frames: graded });
  }
  return { lights, sets, frames, verdicts };
}

function judge(frames: GradedFrame[], subs: SubRecord[], rules: Rule[]): Map<string, Verdict> {
  return applyRules(frames, new Map(subs.map(({ id, decision }) => [id, decision])), rules);
}

/** What planning a stack needs of a stored sub that goes through a calibration. */
export function factsOf(sub: SubRecord, calibration: CalibrationRef | null): SubFacts {
  const { id, name, measuredSize, metadata, measures, stars, unit } = sub;
  const pattern = calibration ? calibration.pattern : metadata.cfa;
  const mosaic = (pattern !== null || measures.looksMosaic) && measuredSize.channels === 1;
  return { id, name, ...measuredSize, exposureS: metadata.exposureS, measures, stars, metadata, unit, mosaic };
}

/** Exposure of all lights that are not left out by hand, in seconds. */
export function exposureOf(subs: readonly SubRecord[]): number {
  return subs
    .filter(({ type, decision }) => type === "light" && decision !== "reject")
    .reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0);
}
