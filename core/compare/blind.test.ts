import { createRandom } from "../numeric/random";
import { blindCounts, blindCsv, blindPairs, blindRecord, chosenOf, evenChance } from "./index";

test("every pair at every spot, each so many times, sides and order by chance", () => {
  const pairs = blindPairs(["a", "b", "c"], ["s", "t"], 20, createRandom(3));
  expect(pairs.length).toBe(3 * 2 * 20);
  const key = ({ spotId, left, right }: (typeof pairs)[number]) => `${spotId} ${[left, right].sort().join("")}`;
  const counts = new Map<string, number>();
  for (const pair of pairs) counts.set(key(pair), (counts.get(key(pair)) ?? 0) + 1);
  expect([...counts.values()]).toEqual(Array(6).fill(20));
  const leftA = pairs.filter(({ left, right }) => left < right).length;
  expect(leftA).toBeGreaterThan(40); // of 120; 60 ± 5.5 by chance
  expect(leftA).toBeLessThan(80);
  expect(blindPairs(["a"], ["s"], 3, createRandom(1))).toEqual([]);
});

// Two-sided binomial tests against 1/2: 2 Σ C(n, k) / 2ⁿ, by hand; the value for 9 of 10 stands in handbooks.
test.each([
  [9, 1, 22 / 1024],
  [5, 0, 2 / 32],
  [8, 2, (2 * (45 + 10 + 1)) / 1024],
  [3, 3, 1],
  [0, 0, 1],
])("%d against %d", (a, b, chance) => {
  expect(evenChance(a, b)).toBeCloseTo(chance, 12);
  expect(evenChance(b, a)).toBeCloseTo(chance, 12);
});

test("choices are counted for lanes, not for sides; no difference counts for neither", () => {
  const pairs = [
    { spotId: "s", left: "b", right: "a" },
    { spotId: "s", left: "a", right: "b" },
    { spotId: "t", left: "a", right: "b" },
    { spotId: "t", left: "a", right: "b" },
  ];
  expect(blindCounts(pairs, ["left", "right", "same"])).toEqual([
    { a: "a", b: "b", forA: 0, forB: 2, same: 1, chance: 0.5 },
  ]);
});

test("a trial as it is kept shows every choice, as CSV too", () => {
  const record = blindRecord.parse({
    lanes: [
      { letter: "A", words: "Untouched" },
      { letter: "B", words: "Mixture 1" },
    ],
    choices: [
      { spot: "Dark, low", left: "B", right: "A", choice: "left" },
      { spot: "Structure", left: "A", right: "B", choice: "same" },
      { spot: "Structure", left: "A", right: "B", choice: "right" },
    ],
  });
  expect(record.choices.map(chosenOf)).toEqual(["B", "", "B"]);
  expect(blindCsv(record).split("\r\n")).toEqual([
    "Pair,Spot,Left,Right,Better",
    '1,"Dark, low",B,A,B',
    "2,Structure,A,B,no difference",
    "3,Structure,A,B,B",
    "",
  ]);
});
