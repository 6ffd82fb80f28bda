import { writeFits } from "@/core/formats";
import { quietJob } from "@/core/job";
import type { Raster } from "@/core/raster";
import { rasterBytes } from "@/core/raster";
import { paintStars, randomStars, wasmKernels } from "@/core/testing/fixtures";
import { byteCache } from "../cache";
import { FactValues } from "../facts";
import { bytesOfBlob, createFrameStore, type FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { TASKS } from "../tasks/registry";
import { inspectPicture } from "@/core/compare";
import type { TaskContext } from "../tasks/task";
import { runTask } from "../tasks/task";
import { inspectStack } from "./inspect";

const [width, height] = [1100, 1050];
const stars = randomStars(90, width, height, 6);
const refOf = (id: string, seed: number): FrameRef => {
  const { planes } = paintStars(width, height, stars, { seed });
  const file = writeFits({ width, height, channels: 1, sample: "float32" }, planes);
  return { id, name: `${id}.fits`, kind: "blob", blob: new Blob([file as BlobPart]) };
};

/** A workshop of its own for each task, as workers have, which hear nothing of each other. */
function shop(): TaskContext {
  const job = quietJob(wasmKernels());
  return {
    job,
    frames: createFrameStore(
      (ref) =>
        ref.kind === "blob"
          ? Promise.resolve(bytesOfBlob(ref.name, ref.blob))
          : Promise.reject(new Error("blobs only")),
      job.kernels,
    ),
    facts: new FactValues(),
    cache: byteCache<Raster>(64 * 2 ** 20, rasterBytes),
  };
}

test.each([1, 2, 4, 20])("a stack that %i workers look over comes out as by one", async (batchSize) => {
  const payload = { picture: refOf("p", 1), halves: { a: refOf("a", 2), b: refOf("b", 3) } };
  const tiles: number[] = [];
  const run = (name: keyof typeof TASKS, given: never) => {
    if (name === "inspectShare") tiles.push((given as { tiles: unknown[] }).tiles.length);
    return runTask<never, unknown>(TASKS[name], structuredClone(given), shop());
  };
  const pool = { batchSize, run } as unknown as WorkerPool;
  const { frames, job } = shop();
  const [picture, a, b] = await Promise.all(
    [payload.picture, payload.halves.a, payload.halves.b].map((ref) => frames.open(ref)),
  );
  const byOne = await inspectPicture(picture, { a, b }, await frames.unit(payload.picture), job);
  expect(await inspectStack(pool, payload)).toEqual(byOne);
  expect(tiles.reduce((a, b) => a + b, 0)).toBe(9);
  expect(tiles.length).toBe(Math.min(9, batchSize === 4 ? 3 : batchSize));
});
