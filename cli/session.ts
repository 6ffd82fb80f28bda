import { stat } from "node:fs/promises";
import { basename, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import { UserError } from "@/core/job";
import type { FrameRef } from "@/engine/frames";
import { createNodePool } from "@/engine/node/pool";
import type { WorkerPool } from "@/engine/pool";

/** The bundled files lie beside this one. */
const beside = (name: string) => fileURLToPath(new URL(name, import.meta.url));

export const KERNEL_PATH = (): string => beside("kernels.wasm");

/** Throws for the first of these files that is not there. */
export async function checkInputs(paths: readonly (string | undefined)[]): Promise<void> {
  for (const path of paths) if (path !== undefined) await fileRef(path);
}

export async function withPool<T>(work: (pool: WorkerPool) => Promise<T>): Promise<T> {
  const pool = createNodePool({ worker: beside("worker.mjs"), kernels: KERNEL_PATH(), assets: beside("assets") });
  try {
    return await work(pool);
  } finally {
    pool.close();
  }
}

/** A reference to a file that exists. */
export async function fileRef(path: string): Promise<FrameRef> {
  const full = resolve(path);
  const found = await stat(full).catch(() => null);
  if (!found?.isFile()) throw new UserError(`${path}: no such file`, "Check the path.");
  return { id: `${full}@${found.mtimeMs}`, name: basename(path), kind: "file", path: full };
}
