import { newStep } from "@/core/chain";
import { OPERATIONS } from "@/core/operations";
import type { AnyOperation } from "@/core/operations";
import type { Raster } from "@/core/raster";
import { cropRaster, wholeRegion } from "@/core/raster";
import { worstDifference } from "@/core/testing/fixtures";
import { crop } from "./crop";
import { facts, rasters, context, SIZE, treatmentOf } from "./cropChecks";
import { measureCrop } from "./measureCrop";
import { runTask } from "./task";

test("halves are treated the same way at every place: their difference over a square is that of the whole", async () => {
  const [denoise] = OPERATIONS;
  const treatment = await treatmentOf([newStep(denoise)]);
  const region = { x: 40, y: 30, width: 128, height: 128 };
  const alone = await runTask(measureCrop, { treatment, region, skyLevel: null }, context());
  const bench = context();
  await runTask(crop, { treatment, region: wholeRegion(SIZE), reduce: 1 }, bench);
  const after = await runTask(measureCrop, { treatment, region, skyLevel: null }, bench);
  expect(after).toEqual(alone);
  expect(alone.noiseFromHalves).toBeGreaterThan(0);
});

test("luminance after a stretch takes the levels of the stretched picture, not of the linear one", async () => {
  const [denoise, , stretch] = ["noise.starlet", "", "stretch.arcsinh"].map(
    (wanted) => OPERATIONS.find(({ id }) => id === wanted) as AnyOperation,
  );
  const steps = [newStep(stretch), { ...newStep(denoise), channels: "luminance" as const }];
  const { facts: ids } = await treatmentOf(steps);
  const [{ level }] = facts.valuesOf(ids[1])["levels@together"] as { level: number[] }[];
  for (const v of level) expect(Math.abs(v - 0.14)).toBeLessThan(0.05);
});

test("the noise of a crop is half the difference of its halves, each treated as the stack at its noise", async () => {
  const operation = OPERATIONS.find(({ id }) => id === "noise.gaussian");
  if (!operation) throw new Error("no operation");
  const region = { x: 40, y: 40, width: 64, height: 64 };
  const plain = await treatmentOf([]);
  const untouched = await runTask(crop, { treatment: plain, region, reduce: 1, isNoise: true }, context());
  const expected = cropRaster(rasters.a, region).planes[1].map(
    (v, i) => (v - cropRaster(rasters.b, region).planes[1][i]) / 2,
  );
  expect(worstDifference(untouched.planes[1], expected)).toBeLessThan(1e-9);
  const spread = ({ planes }: Raster) => Math.sqrt(planes[0].reduce((sum, v) => sum + v * v, 0) / planes[0].length);
  const treated = await runTask(
    crop,
    { treatment: await treatmentOf([newStep(operation)]), region, reduce: 1, isNoise: true },
    context(),
  );
  expect(spread(treated)).toBeLessThan(0.6 * spread(untouched));
  // On another grid, and at half the size.
  const warp = { kind: "shift", matrix: [1, 0, 3, 0, 1, 0] } as const;
  const moved = await runTask(
    crop,
    { treatment: plain, region, reduce: 1, onto: { ...warp, matrix: [...warp.matrix] }, isNoise: true },
    context(),
  );
  expect(Math.abs(moved.planes[1][70] - untouched.planes[1][67])).toBeLessThan(1e-6);
  await expect(
    runTask(crop, { treatment: { ...plain, halves: null }, region, reduce: 1, isNoise: true }, context()),
  ).rejects.toThrow("without halves");
});
