import type { JobHandle } from "@/core/job";
import type { Raster } from "@/core/raster";
import type { ByteCache } from "../cache";
import type { FactValues } from "../facts";
import type { FrameStore } from "../frames";

/** What a task finds in its worker. */
export interface TaskContext {
  job: JobHandle;
  frames: FrameStore;
  /** Whole-picture facts that the pool sent. */
  facts: FactValues;
  /** Treated crops, keyed by content. */
  cache: ByteCache<Raster>;
}

type Run<Payload, Result> = (payload: Payload, context: TaskContext) => Promise<Result>;

/**
 * What a worker can do, and whose its result is: an `owned` one is new and given away with its buffers, of a `cached` one
 * the worker keeps parts, so that a copy is sent.
 */
export type Task<Payload, Result> = { owned: Run<Payload, Result> } | { cached: Run<Payload, Result> };

/** Runs a task where it stands. */
export const runTask = <P, R>(task: Task<P, R>, payload: P, context: TaskContext): Promise<R> =>
  "owned" in task ? task.owned(payload, context) : task.cached(payload, context);
