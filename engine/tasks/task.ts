import type { JobHandle } from "@/core/job";
import type { Raster } from "@/core/raster";
import type { ByteCache } from "../cache";
import type { FactShelf } from "../facts";
import type { FrameShelf } from "../frames";

/** What a task finds in its worker. */
export interface Workshop {
  job: JobHandle;
  frames: FrameShelf;
  /** Whole-picture facts that the pool sent. */
  facts: FactShelf;
  /** Treated crops, keyed by content. */
  cache: ByteCache<Raster>;
}

export type Task<Payload, Result> = (payload: Payload, shop: Workshop) => Promise<Result>;
