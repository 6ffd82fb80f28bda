import { inWords } from "./job";

test.each([
  ["a.fits: too short", "Copy it again.", "a.fits: too short. Copy it again."],
  ["a.fits: too short.", "Copy it again.", "a.fits: too short. Copy it again."],
  ["a.fits: too short. Copy it again.", "Copy it again.", "a.fits: too short. Copy it again."],
  ["a.fits: too short", "", "a.fits: too short"],
  ["a.fits: too short", undefined, "a.fits: too short"],
])("%j with the advice %j is told as sentences, nothing twice", (message, advice, expected) => {
  expect(inWords(message, advice)).toBe(expected);
});
