import { availableParallelism } from "node:os";
import { Worker } from "node:worker_threads";
import { needsLargeAssets } from "../assets";
import type { PoolLine } from "../pool";
import { WorkerPool } from "../pool";

/** What a pool of worker threads is made of: the bundled worker, kernels.wasm, and the folder of the application's assets. */
export interface NodeEngine {
  worker: string;
  kernels: string;
  assets: string;
}

export function createNodePool({ worker: path, ...workerData }: NodeEngine, size = availableParallelism()): WorkerPool {
  return new WorkerPool(
    size,
    (): PoolLine => {
      const worker = new Worker(path, { workerData });
      return {
        post: (message) => worker.postMessage(message),
        listen: (onMessage, onDeath) => {
          worker.on("message", onMessage);
          worker.on("messageerror", () => onDeath("a message could not be read"));
          worker.on("error", (error) => onDeath(error instanceof Error ? error.message : String(error)));
          worker.on("exit", (code) => {
            if (code !== 0) onDeath(`exit code ${code}`);
          });
        },
        close: () => {
          worker.terminate().catch(() => undefined); // it is gone
        },
      };
    },
    size,
    needsLargeAssets,
  );
}
