import { withParams } from "@/core/display";
import type { StackRecord } from "@/storage";
import { addSpot, changeLane, firstBoard, groupsOf, moveSpot, shownLanes } from "./board";
import { shownByOf, displayedWords, ownDisplay, setDisplay } from "./display";

const stackOf = (id: string, level: number) =>
  ({
    id,
    facts: { stars: 80, spots: [{ name: "Dark", x: 5, y: 6 }], stretch: { level: [level], sigma: [0.1], white: 1 } },
  }) as unknown as StackRecord;
const stacks = [stackOf("s", 0.2), stackOf("t", 0.4)];
const board = () => {
  const start = firstBoard(stacks[0]);
  return changeLane(start, start.lanes[2].id, (lane) => ({ ...lane, stackId: "t" }));
};

test("a lane is shown by the common display on its stack's levels, by its own, or by those of the lane that all are linked to", () => {
  const start = board();
  const [a, b, c] = start.lanes;
  expect(shownByOf(start, c, stacks[1], stacks)).toEqual({ display: start.display, levels: stacks[1].facts.stretch });
  expect(displayedWords(start)).toBe("");
  const own = setDisplay(ownDisplay(start, b.id, true), ownDisplay(start, b.id, true).lanes[1], { sky: 0.4 });
  expect(own.display).toEqual(start.display);
  expect(shownByOf(own, own.lanes[1], stacks[0], stacks).display).toEqual(withParams(start.display, { sky: 0.4 }));
  expect(shownByOf(own, a, stacks[0], stacks).display).toEqual(start.display);
  expect(displayedWords(own)).toBe("lane B is shown by levels of its own");
  const linked = { ...own, look: { ...own.look, levelsOf: c.id } };
  for (const lane of linked.lanes)
    expect(shownByOf(linked, lane, stacks[0], stacks)).toEqual({
      display: start.display,
      levels: stacks[1].facts.stretch,
    });
  expect(displayedWords(linked)).toBe("all lanes are shown by the levels of lane C");
  // The common levers are those of every lane without its own; a lane that is gone links nothing.
  expect(setDisplay(own, own.lanes[0], { black: 1 }).display.params.black).toBe(1);
  expect(ownDisplay(own, b.id, false).lanes[1].display).toBeUndefined();
  expect(displayedWords({ ...start, look: { ...start.look, levelsOf: "gone" } })).toBe("");
});

test("lanes of a group are shown alone; a group that nobody is in any more shows all; spots change places", () => {
  const start = board();
  const [, b, c] = start.lanes;
  const grouped = [b, c].reduce((at, { id }) => changeLane(at, id, (lane) => ({ ...lane, group: "sharp" })), start);
  expect(groupsOf(grouped)).toEqual(["sharp"]);
  const only = { ...grouped, look: { ...grouped.look, group: "sharp" } };
  expect(shownLanes(only).map(({ letter }) => letter)).toEqual(["B", "C"]);
  expect(shownLanes({ ...start, look: only.look }).length).toBe(4);
  const spots = addSpot(addSpot(start, 1, 2), 3, 4);
  expect(moveSpot(spots, 2, 0).spots.map(({ x }) => x)).toEqual([3, 5, 1]);
});
