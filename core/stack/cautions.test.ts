import { NO_METADATA } from "../formats";
import { NO_MEASURES } from "../measure";
import { SHARES } from "../testing/fixtures";
import { cautionsOf } from "./cautions";
import type { SubFacts } from "./plan";

const subOf = (name: string, more: Partial<SubFacts> = {}): SubFacts => ({
  id: name,
  name,
  width: 10,
  height: 10,
  channels: 1,
  exposureS: 120,
  measures: NO_MEASURES,
  stars: [],
  ...more,
});
const ofFilter = (name: string, filter: string) => subOf(name, { metadata: { ...NO_METADATA, filter } });

test("one sub that is left of several, and subs of another filter that stay out, are told", () => {
  const subs = ["a", "b", "c"].map((name) => subOf(name));
  expect(cautionsOf({ used: subs, leftOut: [] }, subs)).toEqual([]);
  expect(cautionsOf({ used: subs.slice(0, 1), leftOut: [] }, subs.slice(0, 1))).toEqual([]);
  expect(cautionsOf({ used: subs.slice(0, 1), leftOut: subs.slice(1) }, subs)).toEqual([
    "Only a went in, of 3 subs: nothing can be told to be an outlier, and there are no halves",
  ]);
  const filters = [ofFilter("h1", "Ha"), ofFilter("h2", "Ha"), ofFilter("o1", "OIII"), ofFilter("s1", "SII")];
  expect(cautionsOf({ used: filters.slice(0, 2), leftOut: filters.slice(2) }, filters)).toEqual([
    "2 subs of OIII, SII stay out: the stack is of Ha",
  ]);
  // One that was left out for another reason is of no other filter.
  expect(cautionsOf({ used: filters.slice(0, 1), leftOut: filters.slice(1, 2) }, filters.slice(0, 2)).length).toBe(1);
});

test("8 bits with a bright sky were stretched for a screen; a dark sky, or more bits, may be linear", () => {
  const of = (fullScale: number, sky: number) =>
    subOf("p", { unit: { ...SHARES, fullScale }, measures: { ...NO_MEASURES, background: [sky] } });
  const told = (sub: SubFacts) => cautionsOf({ used: [sub], leftOut: [] }, [sub]);
  expect(told(of(255, 0.12))).toEqual([expect.stringMatching(/^p of 8 bits .* no linear light$/)]);
  expect([of(255, 0.01), of(65535, 0.12), subOf("x")].flatMap(told)).toEqual([]);
});
