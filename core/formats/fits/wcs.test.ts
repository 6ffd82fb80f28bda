import { fixture } from "../../testing/fixtures";
import type { Card } from "../card";
import { keptHeader, metadataCards } from "./keep";
import { metadataOfCards } from "../metadata";
import { SHARES } from "../../testing/fixtures";
import { cardLines, foldCards, parseCard } from "./header";
import type { FitsCard } from "./write";
import type { PixelMap } from "./wcs";
import { binnedBy, cutFrom, mapWcs, turnedOver } from "./wcs";

interface Case {
  cards: Record<string, string | number>;
  points: [number, number][];
  sky: [number, number][];
}
/** Headers and the sky at four pixels by astropy.wcs: reference/make_origin_fixtures.py. */
const { width, height, cases } = fixture<{ width: number; height: number; cases: Record<string, Case> }>(
  "origin/wcs.json",
);
const cardsOf = (entries: Case["cards"]): Card[] =>
  Object.entries(entries).map(([keyword, value]) => ({ keyword, value, comment: "" }));
const RAD = Math.PI / 180;

/** RA and Dec of a 0-based pixel by the tangential projection, with SIP: Calabretta & Greisen 2002, A&A 395, 1077. For the test only. */
function skyOf(cards: Card[], px: number, py: number): [number, number] {
  const get = (keyword: string, fallback = NaN): number => {
    const value = cards.find((card) => card.keyword === keyword)?.value;
    return typeof value === "number" ? value : fallback;
  };
  let u = px + 1 - get("CRPIX1");
  let v = py + 1 - get("CRPIX2");
  if (get("A_ORDER", 0) > 0) {
    const poly = (letter: string): number => {
      let sum = 0;
      for (let p = 0; p <= 2; p++)
        for (let q = 0; q <= 2 - p; q++) sum += get(`${letter}_${p}_${q}`, 0) * u ** p * v ** q;
      return sum;
    };
    [u, v] = [u + poly("A"), v + poly("B")];
  }
  const [d1, d2, turn] = [get("CDELT1"), get("CDELT2"), get("CROTA2", 0) * RAD];
  const matrix = cards.some(({ keyword }) => keyword === "CD1_1")
    ? [get("CD1_1"), get("CD1_2"), get("CD2_1"), get("CD2_2")]
    : cards.some(({ keyword }) => keyword === "PC1_1")
      ? [d1 * get("PC1_1"), d1 * get("PC1_2"), d2 * get("PC2_1"), d2 * get("PC2_2")]
      : [d1 * Math.cos(turn), -d2 * Math.sin(turn), d1 * Math.sin(turn), d2 * Math.cos(turn)];
  const x = (matrix[0] * u + matrix[1] * v) * RAD;
  const y = (matrix[2] * u + matrix[3] * v) * RAD;
  const [ra0, dec0] = [get("CRVAL1") * RAD, get("CRVAL2") * RAD];
  const ra = ra0 + Math.atan2(x, Math.cos(dec0) - y * Math.sin(dec0));
  const dec = Math.atan(
    (Math.cos(ra - ra0) * (Math.sin(dec0) + y * Math.cos(dec0))) / (Math.cos(dec0) - y * Math.sin(dec0)),
  );
  return [ra / RAD, dec / RAD];
}

const moves: [string, PixelMap[], (x: number, y: number) => [number, number]][] = [
  ["as it was", [], (x, y) => [x, y]],
  ["turned over", [turnedOver(height)], (x, y) => [x, height - 1 - y]],
  ["cut out", [cutFrom(31, 17)], (x, y) => [x - 31, y - 17]],
  ["binned 2 × 2", [binnedBy(2)], (x, y) => [(x - 0.5) / 2, (y - 0.5) / 2]],
  [
    "turned, binned and cut",
    [turnedOver(height), binnedBy(2), cutFrom(5, 9)],
    (x, y) => [(x - 0.5) / 2 - 5, (height - 1 - y - 0.5) / 2 - 9],
  ],
];

describe.each(Object.entries(cases))("world coordinates by %s", (_, { cards, points, sky }) => {
  test.each(moves)("a picture %s keeps its sky, to a thousandth of a pixel", (_name, maps, place) => {
    const moved = maps.reduce((list, map) => mapWcs(list, map), cardsOf(cards));
    points.forEach(([x, y], i) => {
      const [ra, dec] = skyOf(moved, ...place(x, y));
      // 4e-4 degrees are a pixel.
      expect(Math.abs(ra - sky[i][0])).toBeLessThan(4e-7);
      expect(Math.abs(dec - sky[i][1])).toBeLessThan(4e-7);
    });
  });
});

test("the size of the fixture is that of its headers", () => {
  expect(cases.cd.cards).toMatchObject({ NAXIS1: width, NAXIS2: height });
});

describe("the header that is kept", () => {
  const cards: Card[] = [
    ...cardsOf({
      OBJECT: "Weir",
      EXPTIME: 60,
      EXPOSURE: 60,
      AIRMASS: 1.2,
      BAYERPAT: "RGGB",
      BITPIX: 16,
      BZERO: 32768,
      SATURATE: 60000,
    }),
    ...cardsOf({ FOCALLEN: 530, CHECKSUM: "x", NOTE: "a".repeat(150), "DET GAIN MODE": "high" }),
    { keyword: "HISTORY", value: null, comment: "bias taken off" },
  ];
  const of = (part: Partial<Parameters<typeof keptHeader>[0]>) => {
    const kept = keptHeader({ cards, unit: "same", ...part });
    return { ...kept, cards: Object.fromEntries(kept.cards.map(([keyword, value]) => [keyword, value])) };
  };

  test("what is known stays, the layout does not, history comes along", () => {
    const { cards: kept, history } = of({});
    expect(kept).toMatchObject({ OBJECT: "Weir", AIRMASS: 1.2, SATURATE: 60000, FOCALLEN: 530, BAYERPAT: "RGGB" });
    for (const gone of ["BITPIX", "BZERO", "CHECKSUM"]) expect(kept).not.toHaveProperty(gone);
    expect(history).toEqual(["bias taken off"]);
  });

  test("a new unit takes the place of the old one; a stack drops what is true of one exposure; colours have no pattern", () => {
    expect(of({ unit: SHARES }).cards).toMatchObject({ DATAMAX: 1, SATURATE: 0.95 });
    const combined = of({ combined: true, demosaiced: true, set: [["EXPTIME", 600, "s"]] }).cards;
    expect(combined).toMatchObject({ OBJECT: "Weir", FOCALLEN: 530, EXPTIME: 600 });
    for (const gone of ["AIRMASS", "EXPOSURE", "BAYERPAT"]) expect(combined).not.toHaveProperty(gone);
  });

  test("pixels of another size are so along both axes, however they are measured, and keep their shape", () => {
    const told = cardsOf({ XPIXSZ: 3.76, YPIXSZ: 3.8, PIXSIZE1: 3.76, PIXSIZE2: 3.8, XBINNING: 1, YBINNING: 1 });
    const set: FitsCard[] = [
      ["XPIXSZ", 1.88],
      ["XBINNING", 2],
    ];
    expect(of({ cards: told, set }).cards).toEqual({
      XPIXSZ: 1.88,
      YPIXSZ: 1.9,
      PIXSIZE1: 1.88,
      PIXSIZE2: 1.9,
      XBINNING: 2,
      YBINNING: 2,
    });
    expect(of({ cards: told }).cards).toMatchObject({ XPIXSZ: 3.76, YPIXSZ: 3.8, YBINNING: 1 });
    expect(of({ cards: cardsOf({ YPIXSZ: 3.8, XPIXSZ: "wide" }), set }).cards).toMatchObject({ YPIXSZ: 3.8 });
  });

  test("long strings and keywords of several words are written as the standard has it, and read again", () => {
    const lines = cards.flatMap(({ keyword, value, comment }) =>
      value === null ? [] : cardLines(keyword, value, comment),
    );
    expect(lines.every((line) => line.length === 80)).toBe(true);
    const back = foldCards(lines.map(parseCard));
    const value = (keyword: string) => back.find((card) => card.keyword === keyword)?.value;
    expect(value("NOTE")).toBe("a".repeat(150));
    expect(value("DET GAIN MODE")).toBe("high");
    const quoted = `it's ${"'".repeat(80)} so`;
    expect(foldCards(cardLines("QUOTED", quoted).map(parseCard))[0].value).toBe(quoted);
  });

  test("metadata become the usual cards and are read back from them", () => {
    const known = metadataOfCards(cardsOf({ OBJECT: "Weir", EXPTIME: 60, GAIN: 84, XPIXSZ: 3.76, FILTER: "Ha" }));
    const written = metadataCards(known).map(([keyword, value]) => ({ keyword, value, comment: "" }));
    expect(metadataOfCards(written)).toEqual(known);
  });
});
