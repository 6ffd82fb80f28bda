import { readFileSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { basename, join } from "node:path";
import { parentPort, workerData } from "node:worker_threads";
import * as z from "zod";
import { serve } from "../worker";
import { openNodeBytes } from "./bytes";

const port = parentPort;
if (!port) throw new Error("this file runs as a worker thread");
const { kernels, assets } = z.object({ kernels: z.string(), assets: z.string() }).parse(workerData);

serve(
  {
    post: (message, transfer) => port.postMessage(message, transfer),
    listen: (handler) => port.on("message", handler),
    breathe: () => new Promise((resolve) => setImmediate(resolve)),
  },
  {
    openBytes: openNodeBytes,
    loadAsset: async (id) => new Uint8Array(await readFile(join(assets, basename(id)))),
  },
  new Uint8Array(readFileSync(kernels)),
);
