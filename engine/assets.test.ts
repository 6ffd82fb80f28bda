import { newStep, prepareChain } from "@/core/chain";
import { quietJob } from "@/core/job";
import type { AnyOperation } from "@/core/operations";
import { findOperation } from "@/core/operations";
import { wholeRegion } from "@/core/raster";
import { wasmKernels } from "@/core/testing/fixtures";
import { withOperations } from "@/core/testing/testOperations";
import { createAssets, needsLargeAssets } from "./assets";
import type { StepFactIds } from "./facts";
import { WorkerPool } from "./pool";
import { check, context, rasters, SIZE, treatmentOf } from "./tasks/cropChecks";
import { renderStrip } from "./tasks/render";
import { runTask } from "./tasks/task";
import { assetOnDisk, puppet, rasterRef, workersInThread } from "./testing";

const toy = findOperation("network.toy") as AnyOperation;
const [ref] = toy.assets?.(toy.parameters.defaults) ?? [];
const bytes = (length: number, first = 0) => Uint8Array.from({ length }, (_, i) => (i + first) % 256);
const shaOf = async (of: Uint8Array) =>
  Buffer.from(await crypto.subtle.digest("SHA-256", of as BufferSource)).toString("hex");

test("an asset is loaded at its first use, once, and checked; what was used longest ago is forgotten", async () => {
  const files: Record<string, Uint8Array> = { a: bytes(60), b: bytes(60, 1), c: bytes(60, 2) };
  const loads: string[] = [];
  const assets = createAssets(async (id) => (loads.push(id), files[id]), 130);
  const of = async (id: string) => ({ id, sha256: await shaOf(files[id]), bytes: 60 });
  const [a, b, c] = await Promise.all(["a", "b", "c"].map(of));
  expect(loads).toEqual([]);
  expect(await Promise.all([assets.open(a), assets.open(a)])).toEqual([files.a, files.a]);
  expect(loads).toEqual(["a"]);
  for (const one of [b, a, c, a]) await assets.open(one);
  expect(loads).toEqual(["a", "b", "c"]);
  await assets.open(b);
  expect(loads).toEqual(["a", "b", "c", "b"]);
});

test("a file that is missing, or not what it should be, is an error that names it; it is tried again", async () => {
  let served: Uint8Array | null = null;
  const assets = createAssets(async () => served ?? Promise.reject(new Error("404")));
  const wanted = { id: "weights.bin", sha256: await shaOf(bytes(8)), bytes: 8 };
  await expect(assets.open(wanted)).rejects.toThrow("weights.bin could not be loaded (404)");
  served = bytes(8, 1);
  await expect(assets.open(wanted)).rejects.toThrow("weights.bin is not what it should be");
  served = bytes(8);
  expect(await assets.open(wanted)).toEqual(bytes(8));
});

test("a step with a network runs in a worker with its weights; crop and picture are one", async () => {
  const assets = createAssets(assetOnDisk);
  const bench = () => ({ ...context(), job: quietJob(wasmKernels(), assets) });
  await check([newStep(toy)], [1, 3], { contextOf: bench });
  const treatment = await treatmentOf([newStep(toy)]);
  const region = wholeRegion(SIZE);
  const [whole] = await runTask(renderStrip, { treatment, region }, bench());
  await expect(runTask(renderStrip, { treatment, region }, context())).rejects.toThrow("toy-network.bin is not there");

  const { open, close } = workersInThread();
  const pool = new WorkerPool(2, open);
  const picture = rasterRef("p", rasters.p);
  const subject = { picture, halves: null, fill: treatment.fill, fullScale: 1, steps: [newStep(toy)] };
  const facts = await prepareChain(subject.steps, {} as StepFactIds, async (index, keys, before) => {
    const found = await pool.run("measureFacts", { treatment: { ...subject, facts: before }, index, keys });
    return Object.fromEntries(keys.map((key) => [key, pool.keep(found[key] ?? [])]));
  });
  const made = await pool.run("renderStrip", { treatment: { ...subject, facts }, region });
  expect(Buffer.compare(Buffer.from(made[0]), Buffer.from(whole))).toBe(0);
  pool.close();
  close();
});

test("large assets are held by two workers of a pool; other jobs go to any", async () => {
  const heavy = { ...toy, id: "test.heavy", assets: () => [{ ...ref, bytes: 50 * 2 ** 20 }] };
  await withOperations([heavy], async () => {
    const [large, small] = [{ treatment: { steps: [newStep(heavy)] } }, { treatment: { steps: [newStep(toy)] } }];
    expect([needsLargeAssets(large), needsLargeAssets(small), needsLargeAssets(null)]).toEqual([true, false, false]);
    const lines = Array.from({ length: 4 }, puppet);
    const opened = [...lines];
    const pool = new WorkerPool(4, () => (opened.shift() as (typeof lines)[number]).line, 4, needsLargeAssets);
    const runs = [large, large, large, small].map((payload) =>
      pool.run("renderStrip", payload as never).catch(() => undefined),
    );
    const ran = () => lines.map(({ posted }) => posted.filter(({ kind }) => kind === "run").length);
    // The third waits for one of the two; the small one does not wait for it.
    expect(ran()).toEqual([1, 1, 1, 0]);
    lines[1].say({ kind: "done", id: 2, result: null, ms: 1 });
    expect(ran()).toEqual([1, 2, 1, 0]);
    pool.close();
    await Promise.all(runs);
  });
});
