import { createStore } from "zustand/vanilla";
import { moffatPsf } from "@/core/measure";
import type { Lane } from "@/storage";
import type { ProjectSession } from "./project";
import { blurOfChosen, blurOfLane } from "./takenBlur";

const shape = { fwhmMajor: 3, fwhmMinor: 2, angle: 0.3, beta: 3, stars: 9, field: null };
const lanes = ["s", "coarse", "loose"].map((stackId, k) => ({
  id: stackId,
  letter: "ABC"[k],
  stackId,
  steps: [],
})) as Lane[];
const size = { facts: { width: 200, height: 150 }, report: { subs: [] } };
/** The second stack has half as many pixels and lies turned by a quarter; the third could not be tied. */
const stacks = [
  { id: "s", name: "Fine", toProject: null, ...size },
  { id: "coarse", name: "Coarse", toProject: { kind: "similarity", matrix: [0, -2, 300, 2, 0, 0.5] }, ...size },
  { id: "loose", name: "Loose", toProject: null, ...size },
];

function session(channels: unknown[]) {
  const asked: [string, unknown][] = [];
  const fake = {
    store: createStore(() => ({ stacks })),
    stacks: { subjectOf: (stack: { id: string }) => Promise.resolve({ picture: { id: stack.id } }) },
    pool: {
      run: (task: string, payload: unknown) => {
        asked.push([task, payload]);
        return Promise.resolve({ "psfShape@together": [{ channels }] });
      },
    },
  } as unknown as ProjectSession;
  return { fake, asked };
}

test("stars of another stack are taken at the scale of the lane's own and as it lies, from the untouched stack", async () => {
  const { fake, asked } = session([shape, null, shape]);
  const { from, side, values } = await blurOfLane(fake, lanes[1], lanes[0]);
  expect(from).toBe("the stars of Coarse");
  expect(asked).toEqual([
    [
      "measureFacts",
      { treatment: { picture: { id: "coarse" }, steps: [], facts: [] }, index: 0, keys: ["psfShape@together"] },
    ],
  ]);
  const expected = moffatPsf({ fwhmMajor: 6, fwhmMinor: 4, angle: 0.3 + Math.PI / 2, beta: 3 }, 24);
  expect(side).toBe(expected.size);
  values.forEach((v, k) => expect(Math.abs(v - expected.values[k])).toBeLessThan(1e-6));
  // The other way they are half as wide.
  const back = await blurOfLane(fake, lanes[0], lanes[1]);
  const middle = (back.side * back.side - 1) / 2;
  const half = moffatPsf({ fwhmMajor: 1.5, fwhmMinor: 1, angle: 0.3 - Math.PI / 2, beta: 3 }, 24);
  expect(back.values[middle]).toBeCloseTo(half.values[(half.size * half.size - 1) / 2], 5);
});

test("stacks that are not tied, and stars that show no blur, are refused with the reason and what to do", async () => {
  await expect(blurOfLane(session([shape]).fake, lanes[2], lanes[0])).rejects.toMatchObject({
    message: "the stacks of lanes C and A are not tied by their stars",
    advice: "Take the blur from a file, or type it.",
  });
  await expect(blurOfLane(session([null]).fake, lanes[1], lanes[0])).rejects.toThrow(
    "too few clear, lone stars tell the blur of lane B’s stack",
  );
});

test("a chosen file goes to a worker as it is", async () => {
  const { fake, asked } = session([]);
  const file = new File(["x"], "star.fits");
  await blurOfChosen(fake, file);
  expect(asked[0]).toMatchObject(["blurOfFile", { frame: { name: "star.fits", kind: "blob", blob: file } }]);
});
