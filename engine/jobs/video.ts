import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import type { ResultOf } from "../tasks/registry";

/** Frames of a video that are measured in one task. */
const BATCH = 64;

/** Measures the first `count` frames of a video, through its calibration where it has one, in order. */
export async function measureFrames(
  pool: WorkerPool,
  file: FrameRef,
  count: number,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<ResultOf<"measureVideo">> {
  const measured: ResultOf<"measureVideo"> = [];
  for (let from = 0; from < count; from += BATCH) {
    const to = Math.min(count, from + BATCH);
    measured.push(...(await pool.run("measureVideo", { file, from, to }, { priority: PRIORITY.measure, signal })));
    onProgress(to / count);
  }
  return measured;
}
