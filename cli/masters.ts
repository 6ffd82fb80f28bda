import type { MasterKind } from "@/core/calibrate";
import { matchedFrame, mismatchesOf, tolerances } from "@/core/calibrate";
import type { FrameType } from "@/core/formats";
import type { WorkerPool } from "@/engine/pool";
import type { OpenedFile } from "./files";

/** A file as matching sees it, with its unit. */
export async function matched(pool: WorkerPool, type: FrameType, { path, frame, reading }: OpenedFile) {
  const unit = await pool.run("readUnit", { frame, look: false });
  return matchedFrame(type, path, type, reading, reading.metadata, unit);
}

/** In what masters do not fit a light, in words. */
export async function mismatchesTo(
  pool: WorkerPool,
  light: OpenedFile,
  masters: Record<"bias" | "dark" | "flat", OpenedFile | null>,
  scaleDark: boolean,
): Promise<string[]> {
  const of = await matched(pool, "light", light);
  const found: string[] = [];
  for (const kind of ["bias", "dark", "flat"] as const satisfies MasterKind[]) {
    const master = masters[kind];
    if (!master) continue;
    const frame = await matched(pool, kind, master);
    found.push(...mismatchesOf(kind, frame, of, tolerances.parse({}), scaleDark).map(({ text }) => text));
  }
  return found;
}
