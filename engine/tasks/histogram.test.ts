import { newStep } from "@/core/chain";
import type { AnyOperation } from "@/core/operations";
import { findOperation } from "@/core/operations";
import { context, rasters, SIZE, treatmentOf } from "./cropChecks";
import { histogram } from "./histogram";
import { runTask } from "./task";

const RANGE = { from: 0, to: 0.5, bins: 50, spacing: "linear" } as const;

test("a histogram of the whole counts every sample that is there, before and after; of a region those in it", async () => {
  const step = newStep(findOperation("noise.gaussian") as AnyOperation);
  const treatment = await treatmentOf([step]);
  const { before, after } = await runTask(histogram, { treatment, region: null, range: RANGE, before: 0 }, context());
  const there = rasters.p.planes.map((plane) => plane.reduce((count, v) => count + (v === v ? 1 : 0), 0));
  expect(before.total).toEqual(there);
  expect(after.total).toEqual(there);
  const [plane] = rasters.p.planes;
  expect(before.counts[0][0]).toBe(plane.reduce((count, v) => count + (v >= 0 && v < 0.01 ? 1 : 0), 0));
  // Smoothed, the sky spreads less.
  expect(Math.max(...after.counts[2])).toBeGreaterThan(Math.max(...before.counts[2]));
  const region = { x: 200, y: 20, width: 30, height: 20 };
  const part = await runTask(histogram, { treatment, region, range: RANGE, before: 1 }, context());
  expect(part.before).toEqual(part.after);
  expect(part.after.total).toEqual([600, 600, 600]);
  const beside = { ...region, x: SIZE.width + 10 };
  expect(
    (await runTask(histogram, { treatment, region: beside, range: RANGE, before: 0 }, context())).after.total,
  ).toEqual([0]);
});
