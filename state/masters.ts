import type { MasterSettings } from "@/core/calibrate";
import { MASTER_SETTINGS, chooseMaster } from "@/core/calibrate";

import { UserError } from "@/core/job";
import type { FrameRef } from "@/engine/frames";
import { combineMaster } from "@/engine/jobs/masters";
import type { WorkerPool } from "@/engine/pool";
import type { CalibrationPlan, MasterRecord, WriteRepository, SubRecord } from "@/storage";
import { RECORD_VERSION } from "@/storage";
import { groupCalibrationFrames, groupLabel, matchedMaster } from "./calibration";
import type { JobControl } from "./jobs";
import { storageFailure } from "./storageFailure";

/** What making masters needs of the project. */
export interface MasterTarget {
  projectId: string;
  pool: WorkerPool;
  storage: WriteRepository;
  subs: readonly SubRecord[];
  masters: readonly MasterRecord[];
  plan: CalibrationPlan;
  frameOf(sub: SubRecord): Promise<FrameRef>;
  masterFrame(master: MasterRecord): Promise<FrameRef>;
}

const TITLE = { bias: "Bias", dark: "Dark", darkflat: "Dark-flat", flat: "Flat" } as const;

/**
 * Makes a master of every group of calibration frames that has none yet: bias, darks and dark-flats first, since flats need
 * them. A flat is less its dark-flat, or the bias where there is none. Each is stored when it is done; `onMade` hears of it.
 */
export async function makeMasters(
  target: MasterTarget,
  { signal, onProgress }: JobControl,
  onMade: (master: MasterRecord) => Promise<void>,
  settings: MasterSettings = MASTER_SETTINGS,
): Promise<void> {
  const made = [...target.masters];
  const taken = new Set(made.flatMap(({ frames }) => frames));
  const groups = groupCalibrationFrames(
    target.subs.filter(({ id, decision }) => decision !== "reject" && !taken.has(id)),
    target.plan,
  );
  if (groups.length === 0)
    throw new UserError("there are no calibration frames without a master", "Bring in bias, dark or flat frames.");
  for (const [k, { type, frames }] of groups.entries()) {
    if (type === "light") continue;
    const first = target.subs.find(({ id }) => id === frames[0].id);
    if (!first) continue;
    const doing = `Master ${type} of ${frames.length} frames`;
    onProgress(k / groups.length, doing);
    const offset = type === "flat" ? offsetOf(frames[0], made, target) : { master: null, warnings: [] };
    const refs = await Promise.all(
      frames.map(({ id }) => target.frameOf(target.subs.find((sub) => sub.id === id) as SubRecord)),
    );
    const taken = offset.master && (await target.masterFrame(offset.master));
    const result = await combineMaster(
      target.pool,
      { kind: type, frames: refs, metadata: first.metadata, offset: taken, settings },
      { signal, onProgress: (fraction) => onProgress((k + fraction) / groups.length, doing) },
    );
    const { width, height, channels, unit } = result;
    const record: MasterRecord = {
      version: RECORD_VERSION,
      id: crypto.randomUUID(),
      projectId: target.projectId,
      name: `${TITLE[type]} · ${groupLabel(frames[0])}`,
      kind: type,
      createdAt: Date.now(),
      width,
      height,
      channels,
      unit: type === "flat" ? null : unit,
      metadata: { ...first.metadata, frameType: type, master: true },
      frames: frames.map(({ id }) => id),
      recipe: `${settings.by} of ${frames.length}, outliers beyond ${settings.lowSigma} σ left out${offset.master ? `, less ${offset.master.name}` : ""}`,
      warnings: offset.warnings,
    };
    try {
      await target.storage.addMaster(record, new Blob([result.file as BlobPart]));
    } catch (error) {
      throw storageFailure(error);
    }
    made.push(record);
    await onMade(record);
  }
}

/** What is taken off flats: dark-flats, else the bias; a mismatch or the lack of both is said. */
function offsetOf(
  flat: Parameters<typeof chooseMaster>[2],
  masters: MasterRecord[],
  { plan }: MasterTarget,
): { master: MasterRecord | null; warnings: string[] } {
  const candidates = masters.map(matchedMaster);
  for (const kind of ["darkflat", "bias"] as const) {
    if (!candidates.some(({ type }) => type === kind)) continue;
    const { id, mismatches } = chooseMaster(kind, candidates, flat, plan.tolerance);
    if (id !== null)
      return {
        master: masters.find((master) => master.id === id) ?? null,
        warnings: mismatches.map(({ text }) => text),
      };
  }
  return { master: null, warnings: ["flats are less nothing: without dark-flats or a bias they correct too little"] };
}
