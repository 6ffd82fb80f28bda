import { readFileSync } from "node:fs";
import { parentPort, workerData } from "node:worker_threads";
import { z } from "zod";
import { serve } from "../worker";
import { openNodeBytes } from "./bytes";

const port = parentPort;
if (!port) throw new Error("this file runs as a worker thread");
const { kernels } = z.object({ kernels: z.string() }).parse(workerData);

serve(
  {
    post: (message, transfer) => port.postMessage(message, transfer),
    listen: (handler) => port.on("message", handler),
    breathe: () => new Promise((resolve) => setImmediate(resolve)),
  },
  openNodeBytes,
  new Uint8Array(readFileSync(kernels)),
);
