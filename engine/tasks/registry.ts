import { crop, measureCrop } from "./crop";
import { convert } from "./convert";
import { flip } from "./flip";
import { calibrateLight, defects, master } from "./masters";
import { prepare } from "./prepare";
import { encodePng, renderStrip } from "./render";
import { inspect, plan, stackStrip } from "./stack";
import { measureBoxes, measureLevels, measureSub, measureVideo, readFile, relate, tellUnit, unpack } from "./subs";

/** Everything a worker can do, by name. */
export const TASKS = {
  calibrateLight,
  convert,
  crop,
  defects,
  encodePng,
  flip,
  inspect,
  master,
  measureBoxes,
  measureCrop,
  measureLevels,
  measureSub,
  measureVideo,
  plan,
  prepare,
  readFile,
  relate,
  renderStrip,
  stackStrip,
  tellUnit,
  unpack,
};

export type TaskName = keyof typeof TASKS;
export type PayloadOf<N extends TaskName> = Parameters<(typeof TASKS)[N]>[0];
export type ResultOf<N extends TaskName> = Awaited<ReturnType<(typeof TASKS)[N]>>;
