import { fc } from "../testing/properties";
import type { Card } from "./card";
import type { CfaPattern } from "./metadata";
import {
  CFA_PATTERNS,
  frameTypeOf,
  metadataOfCards,
  NO_METADATA,
  pixelScaleOf,
  shiftCfa,
  subMetadata,
} from "./metadata";

/** Spellings are those of the FITS Standard 4.0 (4.4.2) and, for the rest, common practice of the trade. */
const cards = (entries: Record<string, string | number | boolean | null>): Card[] =>
  Object.entries(entries).map(([keyword, value]) => ({ keyword, value, comment: "" }));
const read = (entries: Parameters<typeof cards>[0]) => metadataOfCards(cards(entries));

test.each([
  ["exposureS", { EXPTIME: 120 }, 120],
  ["exposureS", { EXPOSURE: "0.001 s" }, 0.001],
  ["exposureS", { EXPTIME: 0 }, 0], // a bias
  ["exposureS", { EXPTIME: -3 }, null],
  ["exposureS", { EXPTIME: "long" }, null],
  ["gain", { GAIN: 0 }, 0],
  ["gain", { GAIN: "100" }, 100],
  ["offset", { BLKLEVEL: 40 }, 40],
  ["temperatureC", { "CCD-TEMP": "-9.8 C" }, -9.8],
  ["temperatureC", { "SET-TEMP": -10 }, -10],
  ["temperatureC", { "CCD-TEMP": -9.8, "SET-TEMP": -10 }, -9.8], // what was measured, before what was asked for
  ["pixelSizeUm", { PIXSIZE1: 4.2 }, 4.2],
  ["pixelSizeUm", { XPIXSZ: 0 }, null],
  ["focalLengthMm", { FOCALLEN: "540 mm" }, 540],
  ["binning", { XBINNING: 2 }, 2],
  ["binning", { CCDSUM: "2 2" }, 2],
  ["binning", { BINNING: "3x3" }, 3],
  ["binning", { CCDSUM: "1 2" }, null],
  ["filter", { FILTER: " Ha " }, "Ha"],
  ["filter", { FILTER: "", FILTER1: "OIII" }, "OIII"],
  ["object", { OBJECT: "Weir Nebula" }, "Weir Nebula"],
  ["instrument", { CAMERA: "Simulated camera" }, "Simulated camera"],
  ["date", { "DATE-OBS": "2026-01-17T21:04:05.25" }, "2026-01-17T21:04:05.25"],
  ["date", { "DATE-OBS": "2026-01-17" }, "2026-01-17T00:00:00"],
  ["date", { DATETIME: "2026:01:17 21:04:05" }, "2026-01-17T21:04:05"], // as TIFF writes it
  ["date", { "DATE-OBS": "yesterday" }, null],
  ["frameType", { IMAGETYP: "Light Frame" }, "light"],
  ["frameType", { FRAME: "Bias" }, "bias"],
  ["master", { IMAGETYP: "Master Dark" }, true],
  ["master", { IMAGETYP: "Dark Frame" }, false],
] as const)("%s of %j is %p", (field, entries, value) => {
  expect(read(entries as Record<string, string | number>)[field]).toBe(value);
});

test("the first card of a keyword counts, whatever its case; nothing known is null", () => {
  const twice = [...cards({ exptime: 60 }), ...cards({ EXPTIME: 120 })];
  expect(metadataOfCards(twice).exposureS).toBe(60);
  expect(metadataOfCards([])).toEqual(NO_METADATA);
  expect(NO_METADATA).toMatchObject({ exposureS: null, frameType: null, master: false, cfa: null });
});

test.each([
  ["Flat Field", "flat"],
  ["FLAT", "flat"],
  ["Dark Flat", "darkflat"],
  ["flat-dark", "darkflat"],
  ["zero", "bias"],
  ["Offset", "bias"],
  ["science", "light"],
  ["OBJECT", "light"],
  ["focus", null],
])("frame type %p is %p", (words, type) => expect(frameTypeOf(words)).toBe(type));

describe("the colour filter array", () => {
  test("begins where its offsets say", () => {
    expect(read({ BAYERPAT: "RGGB" }).cfa).toBe("RGGB");
    expect(read({ BAYERPAT: "rggb", XBAYROFF: 1 }).cfa).toBe("GRBG");
    expect(read({ BAYERPAT: "RGGB", YBAYROFF: 1 }).cfa).toBe("GBRG");
    expect(read({ BAYERPAT: "RGGB", XBAYROFF: 1, YBAYROFF: 1 }).cfa).toBe("BGGR");
    expect(read({ BAYERPAT: "TRUE" }).cfa).toBeNull();
  });

  test("a shift by an even number is none, shifts add up, and colours are those at the shifted place", () => {
    const shift = fc.integer({ min: -9, max: 9 });
    fc.assert(
      fc.property(fc.constantFrom(...CFA_PATTERNS), shift, shift, shift, shift, (pattern: CfaPattern, x, y, u, v) => {
        expect(shiftCfa(pattern, 2 * x, 2 * y)).toBe(pattern);
        expect(shiftCfa(shiftCfa(pattern, x, y), u, v)).toBe(shiftCfa(pattern, x + u, y + v));
        const at = (px: number, py: number) => pattern[(((py % 2) + 2) % 2) * 2 + (((px % 2) + 2) % 2)];
        expect(shiftCfa(pattern, x, y)).toBe([at(x, y), at(x + 1, y), at(x, y + 1), at(x + 1, y + 1)].join(""));
      }),
    );
  });
});

test("pixel scale: 206.265 arcsec per thousandth of a radian, times binning; unknown where a part is", () => {
  const known = { ...NO_METADATA, pixelSizeUm: 4.2, focalLengthMm: 540 };
  expect(pixelScaleOf(known)).toBeCloseTo((206.264806 * 4.2) / 540, 6);
  expect(pixelScaleOf({ ...known, binning: 2 })).toBeCloseTo((2 * 206.264806 * 4.2) / 540, 6);
  expect(pixelScaleOf({ ...known, binning: 2 }, 3)).toBeCloseTo((6 * 206.264806 * 4.2) / 540, 6);
  expect(pixelScaleOf({ ...known, focalLengthMm: null })).toBeNull();
  expect(pixelScaleOf(NO_METADATA)).toBeNull();
});

test("whatever cards hold, metadata are valid, and reading them never throws", () => {
  const keyword = fc.constantFrom(
    "EXPTIME",
    "GAIN",
    "XBINNING",
    "BAYERPAT",
    "DATE-OBS",
    "IMAGETYP",
    "FILTER",
    "XPIXSZ",
  );
  const value = fc.oneof(fc.string(), fc.double(), fc.integer(), fc.boolean(), fc.constant(null));
  fc.assert(
    fc.property(fc.array(fc.record({ keyword, value, comment: fc.string() }), { maxLength: 12 }), (given) => {
      const metadata = metadataOfCards(given);
      expect(subMetadata.parse(metadata)).toEqual(metadata);
      expect(metadata.exposureS ?? 0).toBeGreaterThanOrEqual(0);
    }),
  );
});
