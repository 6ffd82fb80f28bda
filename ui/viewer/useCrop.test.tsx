/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, renderHook } from "@testing-library/react";
import { Stopped } from "@/core/job";
import { createRaster } from "@/core/raster";
import type { RunOptions, WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { CropPayload, Treatment } from "@/engine/tasks/crop";
import { CropBook } from "@/state/crops";
import { useCrop } from "./useCrop";

interface Asked {
  payload: CropPayload;
  options: RunOptions;
  settle: (result: unknown) => Promise<void>;
  fail: (error: Error) => Promise<void>;
}

/** A pool whose answers the test gives. */
function answeringPool() {
  const asked: Asked[] = [];
  const run = (_task: string, payload: CropPayload, options: RunOptions) =>
    new Promise((resolve, reject) => {
      asked.push({
        payload,
        options,
        settle: (result) => act(async () => (options.onTime?.(7), resolve(result), await Promise.resolve())),
        fail: (error) => act(async () => (reject(error), await Promise.resolve())),
      });
    });
  return { pool: { run } as unknown as WorkerPool, asked };
}

const treatment = (strength: number): Treatment => ({
  picture: { id: "p", name: "p", kind: "blob", blob: new Blob([]) },
  halves: {
    a: { id: "a", name: "a", kind: "blob", blob: new Blob([]) },
    b: { id: "b", name: "b", kind: "blob", blob: new Blob([]) },
  },
  fill: [0],
  fullScale: 1,
  facts: [],
  steps: [
    {
      operation: "noise.starlet",
      version: 1,
      params: { strength },
      channels: "together",
      blend: 1,
      mask: null,
      on: true,
    },
  ],
});
const region = { x: 0, y: 0, width: 8, height: 6 };
const options = { priority: PRIORITY.interaction, affinity: "spot" };

const show = () => {
  const { pool, asked } = answeringPool();
  const crops = new CropBook(pool);
  const hook = renderHook(
    ({ given, at }: { given: Treatment | null; at: typeof region }) => useCrop(crops, given, at, 1, options),
    { initialProps: { given: treatment(0.1), at: region } as { given: Treatment | null; at: typeof region } },
  );
  return { asked, ...hook };
};

test("the newest crop is asked for; the one before is stopped, and stays on the screen until the next is there", async () => {
  const { asked, result, rerender } = show();
  expect(result.current).toMatchObject({ shown: null, pending: true });
  const first = createRaster(8, 6, 1);
  await asked[0].settle(first);
  expect(result.current).toMatchObject({ pending: false, shown: { raster: first, ms: 7, region } });
  rerender({ given: treatment(0.2), at: region });
  expect(result.current).toMatchObject({ pending: true, shown: { raster: first } });
  rerender({ given: treatment(0.3), at: region });
  expect(asked.map(({ options: { signal } }) => signal?.aborted)).toEqual([false, true, false]);
  await asked[1].settle(createRaster(1, 1, 1)); // too late: nobody wants it any more
  expect(result.current.shown?.raster).toBe(first);
  const last = createRaster(8, 6, 1);
  await asked[2].settle(last);
  expect(result.current).toMatchObject({ pending: false, shown: { raster: last } });
});

test("an equal treatment asks for nothing; another region does; halves are not sent along", async () => {
  const { asked, rerender } = show();
  rerender({ given: treatment(0.1), at: { ...region } });
  expect(asked.length).toBe(1);
  expect(asked[0].payload.treatment.halves).toBeNull();
  rerender({ given: treatment(0.1), at: { ...region, x: 4 } });
  expect(asked.length).toBe(2);
  expect(asked[1].payload.region.x).toBe(4);
  await asked[1].settle(createRaster(8, 6, 1));
});

test("a failure is reported and the last crop stays; a stop is no failure; no treatment asks for nothing", async () => {
  const { asked, result, rerender } = show();
  const first = createRaster(8, 6, 1);
  await asked[0].settle(first);
  rerender({ given: treatment(0.2), at: region });
  await asked[1].fail(new Error("out of memory"));
  expect(result.current).toMatchObject({
    pending: false,
    error: { message: "out of memory" },
    shown: { raster: first },
  });
  rerender({ given: treatment(0.3), at: region });
  await asked[2].fail(new Stopped());
  expect(result.current.error?.message).toBe("out of memory");
  rerender({ given: null, at: region });
  expect(asked.length).toBe(3);
});

test("what was looked at is there at once; two that ask for the same share it, and it is stopped when both have left", async () => {
  const { pool, asked } = answeringPool();
  const crops = new CropBook(pool);
  const wanted = { treatment: treatment(0.4), region, reduce: 1 };
  const [one, two] = [new AbortController(), new AbortController()];
  const ask = ({ signal }: AbortController) => crops.ask(wanted, { ...options, signal });
  const [first, second] = [ask(one), ask(two)];
  expect(asked.length).toBe(1);
  one.abort();
  await expect(first).rejects.toThrow(Stopped);
  expect(asked[0].options.signal?.aborted).toBe(false);
  const raster = createRaster(8, 6, 1);
  await asked[0].settle(raster);
  expect((await second).raster).toBe(raster);
  expect(crops.get(wanted)).toEqual({ raster, ms: 7 });
  const other = { ...wanted, reduce: 2 };
  const left = new AbortController();
  const given = crops.ask(other, { ...options, signal: left.signal });
  left.abort();
  await expect(given).rejects.toThrow(Stopped);
  expect(asked[1].options.signal?.aborted).toBe(true);
  const { result } = renderHook(() => useCrop(crops, wanted.treatment, region, 1, options));
  expect(result.current).toMatchObject({ pending: false, shown: { raster } });
  expect(asked.length).toBe(2);
});

test("leaving the screen stops what was asked for", () => {
  const { asked, unmount } = show();
  unmount();
  expect(asked[0].options.signal?.aborted).toBe(true);
});
