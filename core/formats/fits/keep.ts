import type { Card, CardValue } from "../card";
import type { SubMetadata } from "../metadata";
import type { FrameUnit } from "../unit";
import { unitCards } from "../unit";
import type { PixelMap } from "./wcs";
import { mapWcs } from "./wcs";
import type { FitsCard } from "./write";

/** Cards that describe the layout of a file and are written anew, or that belong to a compressed or tabular form of it. */
const LAYOUT =
  /^(SIMPLE|XTENSION|BITPIX|NAXIS\d*|EXTEND|PCOUNT|GCOUNT|BSCALE|BZERO|BLANK|END|ROWORDER|CHECKSUM|DATASUM|EXTNAME|TFIELDS|THEAP|T(TYPE|FORM|UNIT|NULL|SCAL|ZERO|DIM|DISP)\d+|Z(IMAGE|TABLE|CMPTYPE|BITPIX|NAXIS\d*|TILE\d+|NAME\d+|VAL\d+|SIMPLE|EXTEND|TENSION|PCOUNT|GCOUNT|QUANTIZ|DITHER0|BLANK|SCALE|ZERO|HECKSUM|DATASUM)|COMMENT|HISTORY|CONTINUE|CREATOR)$/;

/** Spellings of what the numbers are; they change when samples do. */
const UNIT =
  /^(BUNIT|UNIT|PIXUNIT|FULLSCAL|WHITELEV|CWHITE|MAXADU|ADUMAX|MAXADC|ADCBITS|CAMBITS|BITDEPTH|BITCAMPX|SENSBITS|DATAMAX|DATAMIN|SATURATE|SATURATI|SATLEVEL|SATLVL|SATUR|SATADU|MAXLIN|LINMAX|PEDESTAL)$/;

/** Cards that are true of a single exposure and not of a stack. */
const SINGLE =
  /^(EXPOSURE|EXP_TIME|EXPOS|ITIME|DATE|DATE-OBS|DATE_OBS|DATE-BEG|DATE-AVG|DATE-END|DATEOBS|TIME-OBS|TIME-END|UT|UTC|MJD.*|JD.*|HJD.*|AIRMASS|ALTITUDE|AZIMUTH|OBJCTALT|OBJCTAZ|OBJCTHA|HA|ST|LST|FILENAME|IMAGETYP|FRAMETYP|FRAME|OBSTYPE|IMGTYPE)$/;

/** How a picture differs from the one whose header it keeps. */
export interface KeptFrom {
  cards: readonly Card[];
  /** How its pixels were moved, in order. */
  moved?: readonly PixelMap[];
  /** What its samples are now; "same" where they are the stored numbers of the old file. */
  unit: FrameUnit | "same";
  /** Whether it became three channels of a mosaic. */
  demosaiced?: boolean;
  /** Whether many exposures went into it. */
  combined?: boolean;
  /** Cards that are known better; they take the place of those of the same name. */
  set?: readonly FitsCard[];
}

/**
 * The header that a picture keeps from another, ready to be written: what is known stays, what changed is changed (world coordinates
 * with the pixels, unit with the samples), what is no longer true is left out. Earlier HISTORY comes back as lines.
 */
export function keptHeader(from: KeptFrom): { cards: FitsCard[]; history: string[] } {
  const { moved = [], unit, demosaiced = false, combined = false, set = [] } = from;
  const mapped = moved.reduce((cards: readonly Card[], map) => mapWcs(cards, map), from.cards);
  const taken = new Set(set.map(([keyword]) => keyword));
  const cards: FitsCard[] = [];
  for (const { keyword, value, comment } of mapped) {
    if (value === null || value === "" || taken.has(keyword) || LAYOUT.test(keyword)) continue;
    if (unit !== "same" && UNIT.test(keyword)) continue;
    if (demosaiced && /^(BAYERPAT|CFAPAT|CFA_PAT|COLORTYP|[XY]BAYROFF|BAYOFF[XY])$/.test(keyword)) continue;
    if (combined && SINGLE.test(keyword)) continue;
    if (!/^[A-Z0-9_-]{1,8}$/.test(keyword) && !isHierarch(keyword)) continue;
    taken.add(keyword);
    cards.push([keyword, scaled(keyword, value, from.cards, set), comment]);
  }
  const own = unit === "same" ? [] : unitCards(unit).filter(([keyword]) => !taken.has(keyword));
  const history = from.cards.flatMap(({ keyword, comment }) => (keyword === "HISTORY" ? [comment] : []));
  return { cards: [...set, ...own, ...cards], history };
}

/** Spellings of the size of a pixel and of binning along x, the first that is there counts; and what else shows them, of either axis. */
const PIXELS = [
  {
    along: ["XPIXSZ", "PIXSIZE1", "PIXSIZE", "PIXELSZ", "XPIXSIZE"],
    too: /^(YPIXSZ|[XY]PIXSIZE|PIXSIZE[12]?|PIXELSZ)$/,
  },
  { along: ["XBINNING"], too: /^YBINNING$/ },
];

/** A card of pixels changes as the one along x does that is known better: pixels of another size keep their shape. */
function scaled<T extends CardValue>(
  keyword: string,
  value: T,
  cards: readonly Card[],
  set: readonly FitsCard[],
): T | number {
  const kind = PIXELS.find(({ too }) => too.test(keyword));
  if (!kind || typeof value !== "number") return value;
  const now = set.find(([known]) => known === kind.along[0])?.[1];
  const names = kind.along.filter((name) => cards.some((card) => card.keyword === name));
  const before = cards.find((card) => card.keyword === names[0])?.value;
  return typeof before === "number" && typeof now === "number" && before > 0 ? (value * now) / before : value;
}

/** Words of a HIERARCH card; entries of other formats (ImageWidth) are none. */
const isHierarch = (keyword: string): boolean => /^[A-Z0-9_-]+( [A-Za-z0-9_-]+)+$/.test(keyword);

/** Metadata as cards under their usual names; unknown fields give none. */
export function metadataCards(metadata: Partial<SubMetadata>): FitsCard[] {
  const all: [string, string | number | null | undefined, string?][] = [
    ["OBJECT", metadata.object],
    ["INSTRUME", metadata.instrument],
    ["TELESCOP", metadata.telescope],
    ["FILTER", metadata.filter],
    ["DATE-OBS", metadata.date, "UTC, start of the exposure"],
    ["EXPTIME", metadata.exposureS, "s"],
    ["GAIN", metadata.gain],
    ["OFFSET", metadata.offset],
    ["EGAIN", metadata.electronsPerAdu, "electrons in an ADU"],
    ["CCD-TEMP", metadata.temperatureC, "deg C"],
    ["XPIXSZ", metadata.pixelSizeUm, "um"],
    ["FOCALLEN", metadata.focalLengthMm, "mm"],
    ["XBINNING", metadata.binning],
  ];
  return all.flatMap(([keyword, value, comment]): FitsCard[] =>
    value === null || value === undefined ? [] : [comment ? [keyword, value, comment] : [keyword, value]],
  );
}
