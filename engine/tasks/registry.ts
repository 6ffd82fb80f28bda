import { crop, measureCrop } from "./crop";
import { prepare } from "./prepare";
import { encodePng, renderStrip } from "./render";
import { inspect, plan, stackStrip } from "./stack";
import { measureSub, transmission } from "./subs";

/** Everything a worker can do, by name. */
export const TASKS = {
  crop,
  encodePng,
  inspect,
  measureCrop,
  measureSub,
  plan,
  prepare,
  renderStrip,
  stackStrip,
  transmission,
};

export type TaskName = keyof typeof TASKS;
export type PayloadOf<N extends TaskName> = Parameters<(typeof TASKS)[N]>[0];
export type ResultOf<N extends TaskName> = Awaited<ReturnType<(typeof TASKS)[N]>>;
