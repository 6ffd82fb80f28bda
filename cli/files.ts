import { UserError } from "@/core/job";
import type { FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type { FileReading } from "@/engine/tasks/subs";
import { fileRef } from "./session";

export interface OpenedFile {
  path: string;
  frame: FrameRef;
  reading: FileReading;
}

export interface Failure {
  file: string;
  reason: string;
}

/** Opens files; those that cannot be read are listed and the rest goes on. */
export async function openFiles(
  pool: WorkerPool,
  paths: string[],
): Promise<{ opened: OpenedFile[]; failures: Failure[] }> {
  const opened: OpenedFile[] = [];
  const failures: Failure[] = [];
  for (const path of paths) {
    try {
      const frame = await fileRef(path);
      opened.push({ path, frame, reading: await pool.run("readFile", { frame }) });
    } catch (error) {
      if (error instanceof UserError && paths.length === 1) throw error;
      failures.push({ file: path, reason: failureOf(error).message });
    }
  }
  if (opened.length === 0 && failures.length > 0)
    throw new UserError(`no file could be read: ${failures[0].reason}`, "Choose other files.");
  return { opened, failures };
}
