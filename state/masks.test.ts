import { DEFAULT_DISPLAY } from "@/core/display";
import { chainToJson, newStep, parseChain } from "@/core/chain";
import { findMaskKind, maskKey } from "@/core/mask";
import { findOperation } from "@/core/operations";
import { board as boardSchema, FRESH_LOOK } from "@/storage/records";
import { addLane, duplicateLane, importChain, laneStepOf } from "./board";
import { addMask, changeMask, removeMask, usesOf } from "./masks";

const gaussian = findOperation("noise.gaussian");
const stars = findMaskKind("stars");
if (!gaussian || !stars) throw new Error("a registry lacks what is tested");

const empty = boardSchema.parse({
  lanes: [],
  spots: [],
  ladder: null,
  selectedLaneId: null,
  display: DEFAULT_DISPLAY,
  view: { zoom: 1, panX: 0, panY: 0 },
  look: FRESH_LOOK,
});
const lane = (() => {
  const [made] = addLane(empty, "s").lanes;
  return { ...made, steps: [laneStepOf(newStep(gaussian))] };
})();
const board = { ...empty, lanes: [lane] };
const [withMask, mask] = addMask(board, lane.id, lane.steps[0].id, stars);

test("a board of before masks has none; a new mask is the project's and the step's", () => {
  expect(empty.masks).toEqual([]);
  expect(withMask.masks).toEqual([mask]);
  expect(withMask.lanes[0].steps[0].mask).toEqual(mask);
  const [second] = addMask(withMask, lane.id, lane.steps[0].id, stars);
  expect(second.masks.map(({ name }) => name)).toEqual(["Stars", "Stars 2"]);
});

test("lanes share a mask: a change reaches every step that has it, deleting frees them all", () => {
  const twice = duplicateLane(withMask, lane.id);
  expect(usesOf(twice, mask.id)).toBe(2);
  const changed = changeMask(twice, { ...mask, name: "Bright stars", inverted: true });
  expect(changed.lanes.map(({ steps }) => steps[0].mask?.name)).toEqual(["Bright stars", "Bright stars"]);
  expect(changed.masks[0].inverted).toBe(true);
  const without = removeMask(changed, mask.id);
  expect(without.masks).toEqual([]);
  expect(without.lanes.every(({ steps }) => steps[0].mask === null)).toBe(true);
});

test("a chain takes its masks along when it is exported, and brings them where it is imported", () => {
  const steps = withMask.lanes[0].steps.map(({ id: _id, ...step }) => step);
  const chain = parseChain(JSON.parse(chainToJson("x", steps)));
  if (!chain.ok) throw chain.reason;
  const imported = importChain(board, lane.id, chain.value.steps);
  expect(imported.masks).toEqual([mask]);
  // Once more it is the same; where the project's has changed since, the file's comes beside it and acts as it did.
  expect(importChain(imported, lane.id, chain.value.steps).masks).toEqual([mask]);
  const twice = [...chain.value.steps, ...chain.value.steps];
  const changed = importChain(changeMask(withMask, { ...mask, blurPx: 5 }), lane.id, twice);
  expect(changed.masks.map(({ name, blurPx }) => [name, blurPx])).toEqual([
    ["Stars", 5],
    ["Stars, brought", 0],
  ]);
  expect(changed.lanes[0].steps.map((step) => step.mask)).toEqual([changed.masks[1], changed.masks[1]]);
  expect(maskKey({ ...mask, name: "other" })).toBe(maskKey(mask));
  const wrong = JSON.parse(chainToJson("x", steps)) as { steps: { mask: { parts: { params: object }[] } }[] };
  wrong.steps[0].mask.parts[0].params = { snr: 1 };
  const refused = parseChain(wrong);
  expect(refused.ok ? null : refused.reason.field).toBe("steps.0.mask.parts.0.params.snr");
});
