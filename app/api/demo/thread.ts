import { parentPort } from "node:worker_threads";
import type { Asked } from "./observatory";
import { Observatory } from "./observatory";

/** The simulated observatory in a thread of its own, bundled into dist/: the server answers while a frame is exposed. */
const observatory = new Observatory();

parentPort?.on("message", ({ id, asked }: { id: number; asked: Asked }) => {
  try {
    const bytes = observatory.answer(asked);
    parentPort?.postMessage({ id, bytes }, [bytes.buffer as ArrayBuffer]);
  } catch (error) {
    parentPort?.postMessage({ id, error: error instanceof Error ? error.message : String(error) });
  }
});
