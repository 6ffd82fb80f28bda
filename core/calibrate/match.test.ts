import type { MatchedFrame } from "./match";
import { chooseMaster, groupFrames, mismatchesOf, tolerances } from "./match";

const frame = (part: Partial<MatchedFrame>): MatchedFrame => ({
  id: part.id ?? "x",
  name: "x.fits",
  type: "light",
  width: 100,
  height: 80,
  channels: 1,
  binning: 1,
  gain: 100,
  offset: 40,
  exposureS: 120,
  temperatureC: -10,
  unit: null,
  filter: "L",
  cfa: null,
  instrument: "cam",
  ...part,
});
const tolerance = tolerances.parse({});
const words = (kind: "dark" | "flat" | "bias" | "darkflat", part: Partial<MatchedFrame>, scale = false) =>
  mismatchesOf(kind, frame({ type: kind, ...part }), frame({}), tolerance, scale).map(({ text }) => text);

test("frames group by what matters for their kind", () => {
  const frames = [
    frame({ id: "a" }),
    frame({ id: "b", temperatureC: -9 }),
    frame({ id: "c", exposureS: 60 }),
    frame({ id: "d", filter: "R" }),
    frame({ id: "e", type: "flat", exposureS: 1 }),
    frame({ id: "f", type: "flat", exposureS: 2, temperatureC: 5 }),
    frame({ id: "g", type: "dark", filter: null }),
    frame({ id: "h", type: "dark", filter: "R" }),
    frame({ id: "i", type: "bias", exposureS: 0 }),
    frame({ id: "j", type: "bias", exposureS: 0.001 }),
  ];
  const groups = groupFrames(frames, tolerance).map((group) => group.frames.map(({ id }) => id).join(""));
  expect(groups).toEqual(["ab", "c", "d", "ef", "gh", "ij"]);
  expect(groupFrames(frames.slice(0, 2), { ...tolerance, temperatureC: 0.5 }).length).toBe(2);
  expect(groupFrames([], tolerance)).toEqual([]);
});

test("every mismatch is said in plain words with what it does", () => {
  expect(words("dark", {})).toEqual([]);
  expect(words("dark", { temperatureC: 0 })).toEqual([
    "darks are 10 °C warmer than the lights: about 3.2 times too much dark current is taken off",
  ]);
  expect(words("dark", { temperatureC: -16 })[0]).toContain("6 °C colder than the lights: about 2.0 times too little");
  expect(words("dark", { exposureS: 60 })[0]).toBe(
    "darks are 60 s long, the lights 120 s: too little dark current is taken off",
  );
  expect(words("dark", { exposureS: 60 }, true)[0]).toBe(
    "darks are 60 s long, the lights 120 s: they are scaled by 2.000",
  );
  expect(words("bias", { gain: 0 })[0]).toContain("gain 0, the lights 100");
  expect(words("bias", { exposureS: 0, temperatureC: 20 })).toEqual([]);
  expect(words("flat", { filter: "R", exposureS: 2, temperatureC: 15, gain: 0 })).toEqual([
    "flats are of filter R, the lights of L: dust shadows may differ",
  ]);
  expect(words("flat", { width: 50 })[0]).toContain("50×80 px, the lights 100×80: they cannot be used");
  expect(
    mismatchesOf("dark", frame({ type: "dark", cfa: "RGGB" }), frame({ cfa: "BGGR" }), tolerance)[0].text,
  ).toContain("colours may be exchanged");
  expect(
    mismatchesOf(
      "darkflat",
      frame({ type: "darkflat", exposureS: 2 }),
      frame({ type: "flat", exposureS: 1 }),
      tolerance,
    )[0].text,
  ).toContain("the flats 1 s");
});

test("the best master is chosen; one that cannot be used is not, and none is said to be missing", () => {
  const masters = [
    frame({ id: "warm", type: "dark", temperatureC: 0 }),
    frame({ id: "good", type: "dark", temperatureC: -11 }),
    frame({ id: "small", type: "dark", width: 10 }),
  ];
  expect(chooseMaster("dark", masters, frame({}), tolerance)).toEqual({ id: "good", mismatches: [] });
  expect(chooseMaster("dark", masters.slice(0, 1), frame({}), tolerance).id).toBe("warm");
  expect(chooseMaster("dark", masters.slice(2), frame({}), tolerance)).toMatchObject({
    id: null,
    mismatches: [{ blocks: true }],
  });
  expect(chooseMaster("flat", masters, frame({}), tolerance)).toMatchObject({
    id: null,
    mismatches: [{ text: expect.stringContaining("vignetting and dust shadows stay") }],
  });
});
