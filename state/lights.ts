import type { FrameSet, GradedFrame, LoneFrame, Rule, Verdict } from "@/core/choose";
import { applyRules, fullLightOf, gradeFrames, setsOf, tellingKeys } from "@/core/choose";
import { patchDifference } from "@/core/measure";
import type { SubFacts } from "@/core/stack";
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

/** A sub with all that is known of it alone. */
function loneFrame(sub: SubRecord, order: number, { settings }: ProjectRecord["calibration"]): LoneFrame {
  const { id, name, measuredSize, unit, metadata, measures, video, relation, patches } = sub;
  return {
    id,
    name,
    order,
    unit,
    metadata,
    measures,
    video,
    width: measuredSize.width,
    height: measuredSize.height,
    pixelScale: calibratedScale(metadata, sub.measuredThrough === null ? null : settings),
    relation: relation?.value ?? null,
    patchDifference: patches ? patchDifference(patches.levels.map((level) => level ?? NaN)) : null,
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
    const graded = gradeFrames(
      set.frames.map((sub) => loneFrame(sub, orders.get(sub.id) ?? 0, project.calibration)),
      fullLight,
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
  const { id, name, measuredSize, metadata, measures, stars, unit, relation: graded } = sub;
  const pattern = calibration ? calibration.pattern : metadata.cfa;
  const mosaic = (pattern !== null || measures.looksMosaic) && measuredSize.channels === 1;
  return { id, name, ...measuredSize, exposureS: metadata.exposureS, measures, stars, metadata, unit, mosaic, graded };
}

/** Exposure of all lights that are not left out by hand, in seconds. */
export function exposureOf(subs: readonly SubRecord[]): number {
  return subs
    .filter(({ type, decision }) => type === "light" && decision !== "reject")
    .reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0);
}
