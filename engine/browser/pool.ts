import { needsLargeAssets } from "../assets";
import type { PoolLine } from "../pool";
import { WorkerPool } from "../pool";

/**
 * A pool of web workers: hardware threads − 1, but at least two, so that both of two threads work on crops while the page itself rests;
 * long work leaves one thread to the page.
 */
export function createBrowserPool(threads = navigator.hardwareConcurrency ?? 2): WorkerPool {
  return new WorkerPool(Math.max(2, threads - 1), openLine, Math.max(1, threads - 1), needsLargeAssets);
}

const openLine = (): PoolLine => {
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
};
