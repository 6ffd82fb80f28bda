import { bytesOfArray } from "../bytes";
import { FormatError, valueOf } from "../problem";
import { formatCard, headerOf, historyCards, parseCard, parseCards } from "./header";
import { fitsPadding, openFits, writeFits } from "./index";
import { metadataOfCards, pixelScaleOf, subMetadata } from "../metadata";

const card = (text: string) => parseCard(text.padEnd(80));
const cards = (...lines: string[]) => lines.map(card);
const header = (...lines: string[]) => headerOf("x.fits", cards(...lines));

describe("cards (FITS Standard 4.0, section 4)", () => {
  test.each([
    ["SIMPLE  =                    T / conforms", true, "conforms"],
    ["EXTEND  =                    F", false, ""],
    ["NAXIS   =                    2 / axes", 2, "axes"],
    ["EXPTIME =              120.5", 120.5, ""],
    ["GAIN    = 1.5E-3 / free format", 0.0015, "free format"],
    ["DOUBLE  = -2.5D+02", -250, ""],
    ["POINT   = .5", 0.5, ""],
    ["OBJECT  = 'Weir    '           / name", "Weir", "name"],
    ["QUOTE   = 'it''s / here'", "it's / here", ""],
    ["EMPTY   = ''", "", ""],
    ["UNDEF   =                      / nothing", null, "nothing"],
  ])("%s", (text, value, comment) => {
    expect(card(text)).toMatchObject({ value, comment });
  });

  test("commentary cards have no value and keep their text", () => {
    expect(card("HISTORY made by hand = not a value")).toEqual({
      keyword: "HISTORY",
      value: null,
      comment: "made by hand = not a value",
    });
    expect(card("COMMENT / slash")).toMatchObject({ keyword: "COMMENT", comment: "/ slash" });
  });

  test("cards are read up to END and no further; the first of a keyword counts", () => {
    const bytes = Uint8Array.from(
      ["A       =                    1", "END", "B       =                    2"].map((t) => t.padEnd(80)).join(""),
      (c) => c.charCodeAt(0),
    );
    const { cards: read, ended } = parseCards(bytes);
    expect([read.map(({ keyword }) => keyword), ended]).toEqual([["A"], true]);
    expect(header("A       = 1", "A       = 2").number("A")).toBe(1);
    expect(header("A       = 1").number("B")).toBeUndefined();
    expect(() => header("A       = 'one'").number("A")).toThrow(FormatError);
  });

  test("written cards are 80 characters in fixed format: numbers end in column 30, strings begin in column 11", () => {
    for (const text of [
      formatCard("NAXIS1", 900, "px"),
      formatCard("OBJECT", "it's"),
      formatCard("SIMPLE", true),
      formatCard("SMALL", 1.5e-7),
    ])
      expect(text.length).toBe(80);
    expect(formatCard("NAXIS1", 900).slice(0, 30)).toBe("NAXIS1  =                  900");
    expect(formatCard("OBJECT", "ab").slice(0, 20)).toBe("OBJECT  = 'ab      '");
    expect(card(formatCard("SMALL", 1e-7)).value).toBe(1e-7);
    expect(card(formatCard("LARGE", 1e300)).value).toBe(1e300);
  });

  test("history is cut into cards of 72 characters, in ASCII", () => {
    const history = historyCards("x".repeat(100));
    expect(history.map((text) => text.length)).toEqual([80, 80]);
    expect(historyCards("")).toEqual(["HISTORY".padEnd(80)]);
    expect(historyCards("5 µm")[0]).toContain("5 \\u00b5m");
  });
});

describe("metadata", () => {
  test("the usual spellings; what is missing or senseless is null", () => {
    const all = metadataOfCards(
      cards(
        "OBJECT  = 'Weir'",
        "EXPOSURE= 60.0",
        "EGAIN   = 0.8",
        "CCD-TEMP= -10.0",
        "XPIXSZ  = 4.2",
        "FOCALLEN= 540",
        "XBINNING= 2",
        "DATE-OBS= '2026-01-17T21:04:00'",
      ),
    );
    expect(all).toMatchObject({
      object: "Weir",
      exposureS: 60,
      electronsPerAdu: 0.8,
      temperatureC: -10,
      binning: 2,
      filter: null,
    });
    // 206.265 × 4.2 µm × 2 / 540 mm
    expect(pixelScaleOf(all)).toBeCloseTo((206.265 * 4.2 * 2) / 540, 4);
    const none = metadataOfCards(cards("EXPTIME = -5", "XPIXSZ  = 'wide'"));
    expect(none.exposureS).toBeNull();
    expect(none.pixelSizeUm).toBeNull();
    expect(pixelScaleOf(none)).toBeNull();
    expect(subMetadata.parse(all)).toEqual(all);
  });
});

test("data are filled up to whole blocks", () => {
  const layout = { width: 7, height: 5, channels: 3, sample: "float32" as const };
  expect((7 * 5 * 3 * 4 + fitsPadding(layout).length) % 2880).toBe(0);
  const full = { width: 720, height: 1, channels: 1, sample: "float32" as const };
  expect(fitsPadding(full).length).toBe(0);
});

test("a header of many blocks is read; an image of one pixel too", async () => {
  const history = Array.from({ length: 200 }, (_, i) => `line ${i}`);
  const bytes = writeFits({ width: 1, height: 1, channels: 1, sample: "float32", history }, [Float32Array.of(0.5)]);
  const frame = valueOf(await openFits(bytesOfArray("long.fits", bytes)));
  expect(frame.header.history.length).toBe(200);
  expect((await frame.read({ x: 0, y: 0, width: 1, height: 1 })).planes[0][0]).toBe(0.5);
});
