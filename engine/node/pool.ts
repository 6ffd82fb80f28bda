import { availableParallelism } from "node:os";
import { Worker } from "node:worker_threads";
import type { PoolLine } from "../pool";
import { WorkerPool } from "../pool";

/** A pool of worker threads; `workerPath` and `kernelPath` are the bundled worker and kernels.wasm. */
export function createNodePool(workerPath: string, kernelPath: string, size = availableParallelism()): WorkerPool {
  return new WorkerPool(size, (): PoolLine => {
    const worker = new Worker(workerPath, { workerData: { kernels: kernelPath } });
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
  });
}
