import type { Measure } from "@/core/compare";
import { MEASURES } from "@/core/compare";
import type { Board, Lane } from "@/storage";
import type { MeasureRow } from "./measureRows";
import { isBest, meanOf, measuresOf, rowsOf, sortedBy, UNTOUCHED } from "./measureRows";

const lane = (letter: string, on: boolean[]): Lane =>
  ({ id: letter, letter, stackId: "s", steps: on.map((isOn) => ({ id: "x", on: isOn })) }) as unknown as Lane;
const row = (letter: string, value: number | null): MeasureRow => ({
  lane: lane(letter, [true]),
  rung: null,
  second: null,
  values: { [MEASURES[0].id]: value },
});
const board = (lanes: Lane[]) => ({ lanes, ladder: null }) as unknown as Board;
const measure = { ...MEASURES[0], unit: "dB", digits: 1 } as Measure;

test("the untouched stack has a row of its own where no lane is that", () => {
  expect(rowsOf(board([lane("A", [true]), lane("B", [true, false])])).map(({ lane: { id } }) => id)).toEqual([
    "A",
    "B",
    UNTOUCHED,
  ]);
  expect(rowsOf(board([lane("A", [false]), lane("B", [true])])).map(({ lane: { id } }) => id)).toEqual(["A", "B"]);
  expect(rowsOf(board([]))).toEqual([]);
});

test("the mean is over the places that have the measure", () => {
  const [first, second] = MEASURES;
  const mean = meanOf([{ [first.id]: 1, [second.id]: null }, { [first.id]: 2 }, {}]);
  expect(mean[first.id]).toBe(1.5);
  expect(mean[second.id]).toBeNull();
});

test("rows go by a measure, either way; those without it come last", () => {
  const rows = [row("A", null), row("B", 2), row("C", 1)];
  const letters = (down: boolean) => sortedBy(rows, { id: MEASURES[0].id, down }).map((one) => one.lane.letter);
  expect(letters(false)).toEqual(["C", "B", "A"]);
  expect(letters(true)).toEqual(["B", "C", "A"]);
  expect(rows.map((one) => one.lane.letter)).toEqual(["A", "B", "C"]);
});

test("the best is named where one stands out in the digits that are shown, and never the stack as it is", () => {
  const rows = [row("A", 1), row("B", 2), { ...row("S", 0), lane: { ...lane("S", []), id: UNTOUCHED } }];
  const best = (better: Measure["better"], of = rows) =>
    of.filter((one) => isBest({ ...measure, better }, one.lane, of, 1)).map((one) => one.lane.letter);
  expect(best("less")).toEqual(["A"]);
  expect(best("more")).toEqual(["B"]);
  expect(best(null)).toEqual([]);
  expect(best("less", [row("A", 1), row("B", 1.04)])).toEqual([]);
  expect(best("less", [row("A", 1)])).toEqual([]);
});

test("measures of colour stand where a stack has colour; a heading takes its own", () => {
  const ids = (hasColour: boolean) => measuresOf(null, hasColour).map(({ id }) => id);
  expect(ids(true)).toEqual(MEASURES.map(({ id }) => id));
  expect(ids(true).filter((id) => !ids(false).includes(id))).toEqual(
    expect.arrayContaining(["noise.red", "noise.green", "noise.blue"]),
  );
  expect(new Set(measuresOf("stars", true).map(({ group }) => group))).toEqual(new Set(["stars"]));
});
