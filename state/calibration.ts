import type { FrameGroup, MasterPlan, MatchedFrame } from "@/core/calibrate";
import { DEFAULT_DEMOSAIC, groupFrames, matchedFrame, planMasters, scaleOfCalibration } from "@/core/calibrate";
import type { FrameType, UnitClaims } from "@/core/formats";
import { UNIT_FIELDS } from "@/core/formats";
import { calibrationFor, calibrationKey } from "@/engine/calibration";
import type { CalibrationRef, FrameRef } from "@/engine/frames";
import type { CalibrationPlan, MasterRecord, StackCalibration, SubRecord } from "@/storage";

/** A stored frame as matching sees it. */
export const matchedSub = (sub: SubRecord): MatchedFrame =>
  matchedFrame(sub.id, sub.name, sub.type, sub, sub.metadata, sub.unit);
export const matchedMaster = (master: MasterRecord): MatchedFrame =>
  matchedFrame(master.id, master.name, master.kind, master, master.metadata, master.unit);

/** Lights that are calibrated alike, with their masters and every mismatch in words. */
export interface LightGroup {
  label: string;
  subs: SubRecord[];
  plan: MasterPlan;
}

/** "120 s · gain 100 · −10 °C · L · 600×400" */
export function groupLabel(frame: MatchedFrame): string {
  const { exposureS, gain, temperatureC, filter, width, height, binning, cfa, type } = frame;
  const parts = [
    exposureS === null || type === "bias" ? null : `${Number(exposureS.toPrecision(4))} s`,
    gain === null ? null : `gain ${gain}`,
    temperatureC === null || type === "bias" ? null : `${Number(temperatureC.toFixed(1))} °C`.replace("-", "−"),
    type === "light" || type === "flat" ? filter : null,
    binning !== null && binning > 1 ? `binned ${binning}×${binning}` : null,
    `${width}×${height}`,
    cfa,
  ];
  return parts.filter((part) => part !== null && part !== "").join(" · ");
}

export function groupLights(
  subs: readonly SubRecord[],
  masters: readonly MasterRecord[],
  plan: CalibrationPlan,
): LightGroup[] {
  const byId = new Map(subs.map((sub) => [sub.id, sub]));
  const candidates = masters.map(matchedMaster);
  // Frames of a video are calibrated by nothing yet but their colours.
  const lights = subs.filter(({ type }) => type === "light").map(matchedSub);
  return groupFrames(lights, plan.tolerance).map(({ frames }) => ({
    label: groupLabel(frames[0]),
    subs: frames.flatMap(({ id }) => byId.get(id) ?? []),
    plan: planMasters(frames[0], candidates, plan.settings, plan.tolerance, plan.use),
  }));
}

/** Calibration frames that could become a master, by kind. */
export function groupCalibrationFrames(subs: readonly SubRecord[], plan: CalibrationPlan): FrameGroup[] {
  const kinds: FrameType[] = ["bias", "dark", "darkflat", "flat"];
  return kinds.flatMap((kind) => groupFrames(subs.filter(({ type }) => type === kind).map(matchedSub), plan.tolerance));
}

/** Groups of calibration frames of which no master was made. */
export function framesWithoutMaster(
  subs: readonly SubRecord[],
  masters: readonly MasterRecord[],
  plan: CalibrationPlan,
): FrameGroup[] {
  const taken = new Set(masters.flatMap(({ frames }) => frames));
  return groupCalibrationFrames(
    subs.filter(({ id }) => !taken.has(id)),
    plan,
  );
}

/** Whether a light goes through any calibration: a mosaic does, and any light for which there are masters. */
export function needsCalibration(
  sub: SubRecord,
  plan: MasterPlan,
  settings: Pick<CalibrationPlan["settings"], "pattern">,
): boolean {
  // A mosaic whose header does not tell its pattern is one once a person says it.
  const told = settings.pattern !== null && sub.measures.looksMosaic;
  return told || sub.metadata.cfa !== null || plan.bias !== null || plan.dark !== null || plan.flat !== null;
}

/** The calibration of a light by a plan; null where it is used as it came. */
export function calibrationOf(
  sub: SubRecord,
  group: MasterPlan,
  settings: CalibrationPlan["settings"],
  frameOfMaster: (id: string) => FrameRef,
): CalibrationRef | null {
  if (!needsCalibration(sub, group, settings)) return null;
  const master = (id: string | null) => (id === null ? null : frameOfMaster(id));
  const masters = { bias: master(group.bias), dark: master(group.dark), flat: master(group.flat) };
  return calibrationFor(sub, masters, group.darkScale, settings);
}

/**
 * The calibration by which a light is shown before it is measured again: the plan's, but with the size and the channels of the
 * pixels that were measured, so that its stars and its relation stay true.
 */
export function shownCalibration(sub: SubRecord, planned: CalibrationRef | null): CalibrationRef | null {
  if (planned === null || sub.measuredThrough === null) return null;
  const { settings, pattern } = planned;
  const shrink = Math.max(1, Math.round(sub.width / sub.measuredSize.width));
  const grey = pattern !== null && sub.measuredSize.channels === 1;
  if (scaleOfCalibration(settings, pattern) === shrink && (pattern === null || grey === (settings.demosaic === "none")))
    return planned;
  const cells = pattern !== null && !grey && shrink % 2 === 0;
  const colour =
    settings.demosaic === "none" || settings.demosaic === "superpixel" ? DEFAULT_DEMOSAIC : settings.demosaic;
  return {
    ...planned,
    settings: {
      ...settings,
      demosaic: grey ? "none" : cells ? "superpixel" : colour,
      bin: Math.min(3, cells ? shrink / 2 : shrink) as 1 | 2 | 3,
    },
  };
}

/** What header and person say of a sub's unit. */
export const claimsOf = ({ metadata, typed }: SubRecord): UnitClaims => {
  const { unit, fullScale, saturation, electronsPerAdu } = metadata;
  return { unit, fullScale, saturation, electronsPerAdu, typed };
};

/** The key under which measures of a sub through a calibration are kept, typed units included; null for the frame as it came. */
export function keyOf(sub: SubRecord, calibration: CalibrationRef | null): string | null {
  const through = calibration === null ? null : calibrationKey(calibration);
  const typed = UNIT_FIELDS.filter((field) => sub.typed.includes(field));
  if (typed.length === 0) return through;
  return `${through ?? "as it came"} ${JSON.stringify(typed.map((field) => [field, sub.metadata[field]]))}`;
}

/** What is kept with a stack: the plan and which masters each group of subs went through; null where none was calibrated. */
export function stackCalibrationOf(
  groups: LightGroup[],
  used: ReadonlySet<string>,
  plan: CalibrationPlan,
): StackCalibration | null {
  const kept = groups.flatMap(({ subs, plan: own }) => {
    const ids = subs.filter((sub) => used.has(sub.id) && needsCalibration(sub, own, plan.settings)).map(({ id }) => id);
    return ids.length === 0 ? [] : [{ subs: ids, bias: own.bias, dark: own.dark, flat: own.flat }];
  });
  return kept.length === 0 ? null : { plan, groups: kept };
}
