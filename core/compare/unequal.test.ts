import { newStep } from "../chain";
import { findOperation } from "../operations";
import type { ComparedLane } from "./unequal";
import { unequalThings } from "./unequal";

const stretch = () => {
  const operation = findOperation("stretch.arcsinh");
  if (!operation) throw new Error("no stretch");
  return newStep(operation);
};
const lane = (letter: string, other: Partial<ComparedLane> = {}): ComparedLane => ({
  letter,
  stackId: "s",
  stackName: "Stack 1",
  integrationS: 3600,
  steps: [],
  clipped: 0,
  ...other,
});

test("lanes that differ in their treatment alone are said to be equal, however many", () => {
  expect(unequalThings([])).toEqual([]);
  expect(unequalThings([lane("A"), lane("B", { clipped: null }), lane("C", { clipped: 0.05 })])).toEqual([]);
});

test("another stack with its share of the time, and a chain that clips", () => {
  const other = lane("B", { stackId: "t", stackName: "Short", integrationS: 900, clipped: 2.34 });
  expect(unequalThings([lane("A"), other])).toEqual([
    "lane B is of another stack, “Short”, with 25 % of the time of light",
    "the chain of lane B drives 2.3 % of the samples to black or white",
  ]);
  expect(unequalThings([lane("A"), { ...other, integrationS: 3630, clipped: null }])).toEqual([
    "lane B is of another stack, “Short”",
  ]);
});

test("lanes of another domain are named together, in one sentence", () => {
  const stretched = { steps: [stretch()] };
  expect(unequalThings([lane("A", stretched), lane("B"), lane("C"), lane("D", stretched)])).toEqual([
    "lanes B, C are linear, lane A stretched: they are shown by different curves",
  ]);
  expect(unequalThings([lane("A"), lane("B", stretched)])).toEqual([
    "lane B is stretched, lane A linear: they are shown by different curves",
  ]);
});
