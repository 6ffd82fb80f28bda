import { duration, fixed } from "./format";

test("a figure has its digits; what is not known is a dash; what rounds to nothing has no sign", () => {
  expect([fixed(2.345, 1), fixed(-2.35, 0), fixed(null, 2), fixed(undefined, 2), fixed(NaN, 2)]).toEqual([
    "2.3",
    "-2",
    "–",
    "–",
    "–",
  ]);
  expect([fixed(-0.04, 1), fixed(-0.4, 0), fixed(-0.06, 1), fixed(0, 2)]).toEqual(["0.0", "0", "-0.1", "0.00"]);
});

test("seconds are in words that a person would say", () => {
  expect([duration(45), duration(720), duration(4800)]).toEqual(["45 s", "12 min", "80 min"]);
  expect(duration(6000)).toBe("1 h 40 min");
});
