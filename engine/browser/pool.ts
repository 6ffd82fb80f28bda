import type { PoolLine } from "../pool";
import { WorkerPool } from "../pool";

/** A pool of web workers: hardware threads − 1, at least 1. */
export function createBrowserPool(size = Math.max(1, (navigator.hardwareConcurrency ?? 2) - 1)): WorkerPool {
  return new WorkerPool(size, (): PoolLine => {
    const worker = new Worker("/engine/worker.js", { type: "module" });
    return {
      post: (message) => worker.postMessage(message),
      listen: (onMessage, onDeath) => {
        worker.addEventListener("message", (event: MessageEvent) => onMessage(event.data));
        worker.addEventListener("error", (event) => onDeath(event.message ?? "error in the worker"));
        worker.addEventListener("messageerror", () => onDeath("a message could not be read"));
      },
      close: () => worker.terminate(),
    };
  });
}
