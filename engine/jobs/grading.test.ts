import type { ListedStar, SubMeasures } from "@/core/measure";
import type { WorkerPool } from "../pool";
import type { RelatableLight } from "./grading";
import { relateLights } from "./grading";

test("a light that is measured anew while it is related keeps no relation of its old stars", async () => {
  const light = (id: string): RelatableLight => ({
    id,
    stars: [] as ListedStar[],
    video: null,
    relation: null,
    measures: {} as SubMeasures,
  });
  let lights = [light("reference"), light("kept"), light("changed")];
  const asked: string[] = [];
  const pool = {
    run: (_task: string, { sub }: { sub: { id: string } }) => {
      asked.push(sub.id);
      // It comes in again, through a master that was just made.
      if (asked.length === 3) lights = lights.map((one) => (one.id === "changed" ? { ...one, stars: [] } : one));
      return Promise.resolve({ of: asked.length });
    },
  } as unknown as WorkerPool;
  const kept: string[][] = [];
  await relateLights(
    pool,
    {
      lights: () => lights,
      referenceId: () => "reference",
      keep: (found) => {
        kept.push([...found.keys()]);
        lights = lights.map((one) => ({ ...one, relation: found.get(one.id) ?? one.relation }));
      },
    },
    { onProgress: () => undefined },
  );
  expect(kept).toEqual([["reference", "kept"], ["changed"]]);
  // Related once more, by the stars that it has now.
  expect(asked).toEqual(["reference", "kept", "changed", "changed"]);
});
