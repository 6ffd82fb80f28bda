import { blurOfFile } from "./blurOfFile";
import { crop } from "./crop";
import { cropPng } from "./cropPng";
import { convert } from "./convert";
import { equalPart } from "./equal";
import { evidence, evidenceAnswer, evidenceSource, evidenceWhole, support } from "./evidence";
import { measureFacts } from "./facts";
import { measureCrop } from "./measureCrop";
import { flip } from "./flip";
import { hashFile } from "./hash";
import { heldOut } from "./heldOut";
import { histogram } from "./histogram";
import { joinStrip } from "./join";
import { laneMeasures } from "./laneMeasures";
import { calibrateLight, defects, master } from "./masters";
import { encodePng, renderStrip } from "./render";
import { copyStrip, dither, drizzleStrip, inspectShare, inspectWhole, levelRow, plan, stackStrip } from "./stack";
import { measurePatches, measureLevels, measureSub, measureVideo, readFile, relate, readUnit, unpack } from "./subs";
import { skyReadout } from "./skyReadout";
import { stoppingCurve } from "./stopping";
import { strengthCurve } from "./strength";
import type { Task } from "./task";
import { tie } from "./tie";

/** Everything a worker can do, by name. */
export const TASKS = {
  blurOfFile,
  calibrateLight,
  convert,
  copyStrip,
  crop,
  cropPng,
  defects,
  dither,
  drizzleStrip,
  encodePng,
  equalPart,
  evidence,
  evidenceAnswer,
  evidenceSource,
  evidenceWhole,
  support,
  flip,
  hashFile,
  heldOut,
  histogram,
  inspectShare,
  inspectWhole,
  joinStrip,
  laneMeasures,
  levelRow,
  master,
  measurePatches,
  measureCrop,
  measureFacts,
  measureLevels,
  measureSub,
  measureVideo,
  plan,
  readFile,
  relate,
  renderStrip,
  skyReadout,
  stackStrip,
  stoppingCurve,
  strengthCurve,
  readUnit,
  tie,
  unpack,
};

export type TaskName = keyof typeof TASKS;
export type PayloadOf<N extends TaskName> = (typeof TASKS)[N] extends Task<infer P, infer _R> ? P : never;
export type ResultOf<N extends TaskName> = (typeof TASKS)[N] extends Task<infer _P, infer R> ? R : never;
