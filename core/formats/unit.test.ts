import type { DataRange, FrameUnit, UnitClaims } from "./unit";
import { aduPerSample, factorBetween, unitCards, unitOf, unitOfSamples } from "./unit";
import { metadataOfCards, numberOf } from "./metadata";

const NOTHING: UnitClaims = { unit: null, fullScale: null, saturation: null, electronsPerAdu: null };
const upTo = (top: number, least = 0): DataRange => ({ least, top, most: top * 1.1 });
const U16 = { bitpix: 16, fullScale: 65535 };
const FLOAT = { bitpix: -32, fullScale: 1 };
const I32 = { bitpix: 32, fullScale: 1 };

test.each([
  ["16-bit integers by their type", U16, NOTHING, null, "ADU", 65535, "sample type"],
  ["floats of 0 … 1", FLOAT, NOTHING, upTo(0.98), "share", 1, "range of the data (0 … 1)"],
  ["flat-divided shares go above 1", FLOAT, NOTHING, upTo(1.4), "share", 1, "range of the data (0 … 1)"],
  ["floats in ADU", FLOAT, NOTHING, upTo(54_000), "ADU", 65535, "range of the data (16 bits)"],
  ["floats in ADU without a bright star", FLOAT, NOTHING, upTo(900, -40), "ADU", 65535, "range of the data (16 bits)"],
  ["32-bit integers of a 16-bit converter", I32, NOTHING, upTo(65_000), "ADU", 65535, "range of the data (16 bits)"],
  ["sums of frames beyond 16 bits", I32, NOTHING, upTo(900_000), "ADU", 990_000, "range of the data"],
  ["a header's bits", U16, { ...NOTHING, fullScale: 16383 }, null, "ADU", 65535, "sample type"],
  ["electrons by BUNIT", FLOAT, { ...NOTHING, unit: "e-" as const }, upTo(40_000), "e-", 65535, "range of the data"],
  [
    "a share that BUNIT calls ADU",
    FLOAT,
    { ...NOTHING, unit: "ADU" as const },
    upTo(0.9),
    "share",
    1,
    "range of the data (0 … 1)",
  ],
] as const)("%s", (_, stored, claims, range, name, fullScale, from) => {
  const unit = unitOf(stored, claims, range);
  expect([unit.name, unit.from.fullScale]).toEqual([name, from]);
  expect(unit.fullScale / fullScale).toBeCloseTo(1, 9);
});

test("14 bits in 16-bit samples: a header says it, and what it says must hold the data", () => {
  const claims = { ...NOTHING, fullScale: 16383 };
  // Without a look at the data the type stands; with one the claim is believed where nothing lies above it.
  expect(unitOf(U16, claims, upTo(16_000 / 65535)).fullScale).toBe(16383);
  expect(unitOf(U16, claims, upTo(60_000 / 65535)).fullScale).toBe(65535);
  expect(unitOf(U16, { ...claims, typed: ["fullScale"] }, null)).toMatchObject({
    fullScale: 16383,
    from: { fullScale: "typed in" },
  });
});

test("a saturation left in the header of a picture of 0 … 1 is scaled, one that cannot be is not believed", () => {
  const saturation = (claim: number, range: DataRange) =>
    unitOf(FLOAT, { ...NOTHING, saturation: claim }, range).saturation;
  expect(saturation(60_000, upTo(0.9))).toBeCloseTo(60_000 / 65535, 9);
  expect(saturation(0.9, upTo(0.8))).toBe(0.9);
  expect(saturation(0.9, upTo(50_000))).toBeCloseTo(0.95 * 65535, 6);
  expect(unitOf(U16, { ...NOTHING, saturation: 52_000 }, null)).toMatchObject({
    saturation: 52_000,
    from: { saturation: "header" },
  });
});

describe("two frames of one sensor", () => {
  const from = { name: "", fullScale: "", saturation: "" };
  const unit = (
    name: FrameUnit["name"],
    storedPerUnit: number,
    fullScale: number,
    electronsPerAdu: number | null = null,
  ) => ({
    name,
    storedPerUnit,
    fullScale,
    electronsPerAdu,
    saturation: null,
    from,
  });
  const u16 = unit("ADU", 65535, 65535);
  const adu = unit("ADU", 1, 65535);
  const share = unit("share", 1, 1);
  const electrons = unit("e-", 1, 50_000, 0.8);

  test.each([
    ["float ADU to 16 bits", adu, u16, 1 / 65535],
    ["16 bits to float ADU", u16, adu, 65535],
    ["a share to 16 bits", share, u16, 1],
    ["float ADU to a share", adu, share, 1 / 65535],
    ["electrons to float ADU", electrons, adu, 1 / 0.8],
    ["float ADU to electrons", adu, electrons, 0.8],
    ["electrons to 16 bits", electrons, u16, 1 / 0.8 / 65535],
    ["a share to electrons", share, electrons, 65535 * 0.8],
    ["electrons to a share", electrons, share, 1 / 0.8 / 65535],
  ])("%s", (_, a, b, factor) => {
    expect((factorBetween(a, b) ?? NaN) / factor).toBeCloseTo(1, 9);
    expect((factorBetween(b, a) ?? NaN) * factor).toBeCloseTo(1, 9);
  });

  test("electrons without a gain cannot be turned into anything else", () => {
    const bare = unit("e-", 1, 50_000);
    expect(factorBetween(bare, u16)).toBeNull();
    expect(factorBetween(share, bare)).toBeNull();
    expect(factorBetween(bare, bare)).toBe(1);
  });

  test("levels in ADU, and the cards of a picture that is written", () => {
    expect([u16, adu, share, electrons].map(aduPerSample)).toEqual([65535, 1, 65535, 1 / 0.8]);
    expect(unitOfSamples({ ...u16, saturation: 60_000 })).toMatchObject({ name: "share", fullScale: 1 });
    expect(unitOfSamples(adu)).toBe(adu);
    const read = (of: FrameUnit) =>
      metadataOfCards(unitCards(of).map(([keyword, value]) => ({ keyword, value, comment: "" })));
    expect(read(adu)).toMatchObject({ unit: "ADU", fullScale: 65535 });
    expect(read(share)).toMatchObject({ unit: null, fullScale: 1 });
    expect(unitOf(FLOAT, read(share), upTo(0.01)).from).toMatchObject({ name: "header", fullScale: "header" });
    expect(read({ ...electrons, saturation: 45_000 })).toMatchObject({ unit: "e-", saturation: 45_000 });
  });
});

test.each([
  ["BUNIT", "adu", "unit", "ADU"],
  ["BUNIT", "electron", "unit", "e-"],
  ["BUNIT", "furlong", "unit", null],
  ["SATURATE", 60_000, "saturation", 60_000],
  ["SATLEVEL", "52000 ADU", "saturation", 52_000],
  ["MAXLIN", 48_000, "saturation", 48_000],
  ["BITDEPTH", 14, "fullScale", 16383],
  ["ADCBITS", 12, "fullScale", 4095],
  ["DATAMAX", 65535, "fullScale", 65535],
  ["DATAMAX", 41_237.5, "fullScale", null], // the brightest pixel, no full scale
  ["FULLSCAL", 4095, "fullScale", 4095],
] as const)("the card %s = %s tells %s = %s", (keyword, value, field, expected) => {
  expect(metadataOfCards([{ keyword, value, comment: "" }])[field]).toBe(expected);
});

test.each([
  ["-10,5", -10.5],
  ["−10,5 °C", -10.5],
  ["120 s", 120],
  [" .5", 0.5],
  ["1e-3", 1e-3],
  ["1,234.5", null], // either of two numbers
  ["long", null],
] as const)("the text %j is the number %p", (text, value) => {
  expect(numberOf(text)).toBe(value);
});
