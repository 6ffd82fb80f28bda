import { fc } from "../testing/properties";
import { choice, differencesInWords, inSentence, inWords, parameters, slider, toggle } from "./index";

const sample = parameters({
  strength: slider({ label: "Strength", hint: "…", min: 0, max: 1, step: 0.01, default: 0.5 }),
  rounds: slider({ label: "Rounds", hint: "…", min: 1, max: 9, step: 1, default: 3, unit: "times" }),
  blur: choice({
    label: "Blur",
    hint: "…",
    options: [
      { value: "measured", label: "as measured" },
      { value: "typed", label: "of a typed width" },
    ],
    default: "measured",
  }),
  width: slider({
    label: "Width",
    hint: "…",
    min: 1,
    max: 12,
    step: 0.1,
    default: 3,
    unit: "px",
    when: { name: "blur", is: "typed" },
  }),
  halves: toggle({ label: "Halves", hint: "…", default: true }),
});

test("missing values take their defaults; the defaults are valid; unknown names are dropped", () => {
  expect(sample.defaults).toEqual({ strength: 0.5, rounds: 3, blur: "measured", width: 3, halves: true });
  expect(sample.schema.parse({ strength: 0.9, magic: 1 })).toEqual({ ...sample.defaults, strength: 0.9 });
  expect(sample.fields.map(({ name }) => name)).toEqual(["strength", "rounds", "blur", "width", "halves"]);
});

test("a value in range is taken as it is, any other is refused by the field's name", () => {
  fc.assert(
    fc.property(fc.double({ noNaN: true }), (strength) => {
      const parsed = sample.schema.safeParse({ strength });
      expect(parsed.success).toBe(strength >= 0 && strength <= 1);
      if (parsed.success) expect(parsed.data.strength).toBe(strength);
      else expect(parsed.error.issues[0].path).toEqual(["strength"]);
    }),
  );
  expect(sample.schema.safeParse({ rounds: 2.5 }).success).toBe(false);
  expect(sample.schema.safeParse({ blur: "other" }).success).toBe(false);
  expect(sample.schema.safeParse({ halves: 1 }).success).toBe(false);
});

test("values and differences in words; a field that is not in effect makes no difference", () => {
  expect(sample.fields.map((field) => inWords(field, sample.defaults[field.name]))).toEqual([
    "0.5",
    "3 times",
    "as measured",
    "3 px",
    "on",
  ]);
  expect(differencesInWords(sample, sample.defaults, { ...sample.defaults, rounds: 5, halves: false })).toEqual([
    "rounds: 3 times, not 5 times",
    "halves: on, not off",
  ]);
  expect(differencesInWords(sample, sample.defaults, { ...sample.defaults, width: 4 })).toEqual([]);
  expect(["Low limit", "FWHM limit"].map(inSentence)).toEqual(["low limit", "FWHM limit"]);
  const typed = { ...sample.defaults, blur: "typed" as const };
  expect(differencesInWords(sample, typed, { ...typed, width: 4 })).toEqual(["width: 3 px, not 4 px"]);
});
