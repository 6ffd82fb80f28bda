import * as z from "zod";
import type { Card, CardValue } from "./card";

/** Colours of the 2 × 2 cell of a colour filter array, from pixel (0, 0) by rows from the top. */
export const CFA_PATTERNS = ["RGGB", "BGGR", "GRBG", "GBRG"] as const;
export const cfaPattern = z.enum(CFA_PATTERNS);
export type CfaPattern = z.infer<typeof cfaPattern>;

export const FRAME_TYPES = ["light", "dark", "flat", "bias", "darkflat"] as const;
export const frameType = z.enum(FRAME_TYPES);
export type FrameType = z.infer<typeof frameType>;

/** What a step of the stored numbers counts: a step of the converter, an electron, or a share of full scale. */
export const UNIT_NAMES = ["ADU", "e-", "share"] as const;
export const unitName = z.enum(UNIT_NAMES);
export type UnitName = z.infer<typeof unitName>;

/** Pictures that are made of frames, and are never stacked as such. */
export const PRODUCT_WORDS = {
  stack: "a stack",
  half: "half of a stack",
  coverage: "the coverage of a stack",
  treated: "a treated picture",
} as const;
const productKind = z.enum(["stack", "half", "coverage", "treated"]);
export type ProductKind = z.infer<typeof productKind>;

const text = z.string().max(200).nullable().catch(null).default(null);
const positive = z.number().positive().finite().nullable().catch(null).default(null);
const real = z.number().finite().nullable().catch(null).default(null);

/** What a file shows about a frame; every field is null where it is missing or unusable. */
export const subMetadata = z.object({
  object: text,
  instrument: text,
  telescope: text,
  filter: text,
  /** Start of the exposure, ISO 8601, UTC. */
  date: text,
  frameType: frameType.nullable().catch(null).default(null),
  /** Where it is no frame of a camera but was made of some: what it is. */
  product: productKind.nullable().catch(null).default(null),
  /** Whether the file says that it is a master. */
  master: z.boolean().catch(false).default(false),
  exposureS: z.number().min(0).finite().nullable().catch(null).default(null),
  gain: real,
  /** The camera's offset (brightness) setting, in its own steps. */
  offset: real,
  electronsPerAdu: positive,
  temperatureC: real,
  pixelSizeUm: positive,
  focalLengthMm: positive,
  binning: positive,
  cfa: cfaPattern.nullable().catch(null).default(null),
  /** What the numbers count, the number of full scale, and the one from which pixels are saturated; in the file's own numbers. */
  unit: unitName.nullable().catch(null).default(null),
  fullScale: positive,
  saturation: positive,
});
export type SubMetadata = z.infer<typeof subMetadata>;

/** Metadata that say nothing. */
export const NO_METADATA: SubMetadata = subMetadata.parse({});

/** Fields that a person can type in for many frames at once, with label and unit. */
export const TYPED_FIELDS = [
  { key: "object", label: "Object", unit: "", kind: "text" },
  { key: "filter", label: "Filter", unit: "", kind: "text" },
  { key: "instrument", label: "Camera", unit: "", kind: "text" },
  { key: "exposureS", label: "Exposure", unit: "s", kind: "number", least: 0 },
  { key: "gain", label: "Gain", unit: "", kind: "number" },
  { key: "offset", label: "Offset", unit: "", kind: "number" },
  { key: "temperatureC", label: "Temperature", unit: "°C", kind: "number" },
  { key: "binning", label: "Binning", unit: "px", kind: "number", above: 0 },
  { key: "pixelSizeUm", label: "Pixel size", unit: "µm", kind: "number", above: 0 },
  { key: "focalLengthMm", label: "Focal length", unit: "mm", kind: "number", above: 0 },
  { key: "electronsPerAdu", label: "e⁻ per ADU", unit: "e⁻", kind: "number", above: 0 },
  { key: "fullScale", label: "Full scale", unit: "", kind: "number", above: 0 },
  { key: "saturation", label: "Saturated at", unit: "", kind: "number", above: 0 },
] as const satisfies readonly TypedFieldSpec[];

interface TypedFieldSpec {
  key: keyof SubMetadata;
  label: string;
  unit: string;
  kind: "text" | "number";
  /** Numbers must be at least this. */
  least?: number;
  /** Numbers must be larger than this. */
  above?: number;
}

/** What is wrong with a text that was typed into a field, in words; null for nothing. An empty one clears the field. */
export function typingFault(field: TypedFieldSpec, text: string): string | null {
  if (field.kind === "text" || text.trim() === "") return null;
  const number = numberOf(text.trim());
  const { least, above } = field;
  const bound = above !== undefined ? ` above ${above}` : least !== undefined ? `, ${least} or more` : "";
  const holds = number !== null && (least === undefined || number >= least) && (above === undefined || number > above);
  return holds ? null : `must be a number${bound}`;
}

/** Fields that say what the numbers of a frame are: a change of them changes measures and calibration. */
export const UNIT_FIELDS = [
  "unit",
  "fullScale",
  "saturation",
  "electronsPerAdu",
] as const satisfies readonly (keyof SubMetadata)[];

/**
 * Reads metadata from cards by the usual keywords. Sources: EXPTIME, DATE-OBS, OBJECT, INSTRUME, TELESCOP in FITS Standard 4.0,
 * 4.4.2; the other spellings are common practice. Numbers may be written as text with a unit ("120 s").
 */
export function metadataOfCards(cards: Card[]): SubMetadata {
  const byKeyword = new Map<string, CardValue>();
  for (const card of cards) {
    const keyword = card.keyword.toUpperCase();
    if (!byKeyword.has(keyword) && card.value !== null && card.value !== "") byKeyword.set(keyword, card.value);
  }
  const first = (keywords: string[]) => keywords.map((k) => byKeyword.get(k)).find((v) => v !== undefined);
  const words = (...keywords: string[]) => {
    const value = first(keywords);
    return value === undefined ? null : String(value).trim();
  };
  const number = (...keywords: string[]) => {
    const value = first(keywords);
    if (typeof value === "number") return value;
    return typeof value === "string" ? numberOf(value) : null;
  };
  const kind = words("IMAGETYP", "FRAMETYP", "FRAME", "OBSTYPE", "IMGTYPE");
  return subMetadata.parse({
    object: words("OBJECT", "OBJNAME", "TARGET"),
    instrument: words("INSTRUME", "CAMERA", "DETECTOR", "MODEL"),
    telescope: words("TELESCOP"),
    filter: words("FILTER", "FILTER1", "FILTNAM"),
    date: dateOf(words("DATE-OBS", "DATE_OBS", "DATE-BEG", "DATEOBS", "DATETIME")),
    frameType: kind && frameTypeOf(kind),
    product: kind && productOf(kind),
    master: kind !== null && /master|stack|combined/i.test(kind),
    exposureS: number("EXPTIME", "EXPOSURE", "EXP_TIME", "EXPOS", "ITIME"),
    gain: number("GAIN", "CAMGAIN", "GAINRAW"),
    offset: number("OFFSET", "BLKLEVEL", "BLACKLEV", "CAMOFFS"),
    electronsPerAdu: number("EGAIN", "E-GAIN", "CVF"),
    temperatureC: number("CCD-TEMP", "CCDTEMP", "DET-TEMP", "SENSTEMP", "TEMPERAT", "SET-TEMP"),
    pixelSizeUm: number("XPIXSZ", "PIXSIZE1", "PIXSIZE", "PIXELSZ", "XPIXSIZE"),
    focalLengthMm: number("FOCALLEN", "FOCAL", "FOCLEN"),
    binning: binningOf(words("XBINNING", "CCDXBIN", "BINX", "BINNING", "CCDSUM")),
    unit: unitNameOf(words("BUNIT", "UNIT", "PIXUNIT")),
    fullScale:
      number("FULLSCAL", "WHITELEV", "CWHITE", "MAXADU", "ADUMAX", "MAXADC") ??
      ofBits(number("ADCBITS", "CAMBITS", "BITDEPTH", "BITCAMPX", "SENSBITS")) ??
      ofSensor(number("DATAMAX")),
    saturation: number("SATURATE", "SATURATI", "SATLEVEL", "SATLVL", "SATUR", "SATADU", "MAXLIN", "LINMAX"),
    cfa: cfaOf(
      words("BAYERPAT", "CFAPAT", "CFA_PAT", "COLORTYP"),
      number("XBAYROFF", "BAYOFFX"),
      number("YBAYROFF", "BAYOFFY"),
    ),
  });
}

/**
 * The number that a text begins with; a decimal comma counts as a point, a typographic minus as a hyphen ("−10,5 C" is −10.5). Null for
 * none, and for "1,234.5", which may mean either.
 */
export function numberOf(text: string): number | null {
  const read = /^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)(?![.,]?\d)/.exec(
    text.replace(/[\u2212\u2013]/g, "-"),
  );
  return read ? Number(read[1].replace(",", ".")) : null;
}

/** "adu", "counts", "electrons" …: the spellings of the trade and those of the FITS Standard 4.0, table 4. */
function unitNameOf(words: string | null): UnitName | null {
  const unit = words?.toLowerCase().replace(/[^a-z-]/g, "") ?? "";
  if (/^(adu|adus|dn|count|counts|ct|digit)$/.test(unit)) return "ADU";
  if (/^(e-?|electron|electrons|photoelectrons?)$/.test(unit)) return "e-";
  return /^(normali[sz]ed|share|fraction|relative)$/.test(unit) ? "share" : null;
}

/** Full scale of a converter of so many bits. */
const ofBits = (bits: number | null): number | null =>
  bits !== null && Number.isInteger(bits) && bits >= 8 && bits <= 16 ? 2 ** bits - 1 : null;

/** DATAMAX is mostly the brightest pixel; it shows the sensor only where it is a number that a converter ends at, or 1. */
const ofSensor = (most: number | null): number | null =>
  most === 1 || (most !== null && [255, 1023, 4095, 16383, 65535].includes(most)) ? most : null;

/** "Dark Frame", "FLAT FIELD", "zero", "Flat-dark" … as one of the five types; null for others. */
export function frameTypeOf(words: string): FrameType | null {
  const kind = words.toLowerCase().replace(/[^a-z]/g, "");
  if (/flat/.test(kind) && /dark/.test(kind)) return "darkflat";
  if (/flat/.test(kind)) return "flat";
  if (/dark/.test(kind)) return "dark";
  if (/bias|zero|offset/.test(kind)) return "bias";
  if (/light|object|science|target/.test(kind)) return "light";
  return null;
}

/** "stack half A", "Master Light", "integration" …: what such a picture is; null for frames and for masters of calibration frames. */
function productOf(words: string): ProductKind | null {
  const kind = words.toLowerCase();
  if (/coverage/.test(kind)) return "coverage";
  if (/treated|processed/.test(kind)) return "treated";
  if (!/stack|master|combined|integration/.test(kind)) return null;
  const type = frameTypeOf(words);
  if (type !== null && type !== "light") return null;
  return /half/.test(kind) ? "half" : "stack";
}

function dateOf(words: string | null): string | null {
  if (words === null) return null;
  const read = /^(\d{4})[-:/](\d{2})[-:/](\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2}(?:\.\d+)?))?)?/.exec(words);
  if (!read) return null;
  const [, year, month, day, hour = "00", minute = "00", second = "00"] = read;
  return `${year}-${month}-${day}T${hour}:${minute}:${second}`;
}

/** "2", "2x2" and "2 2" mean 2; unequal axes say nothing. */
function binningOf(words: string | null): number | null {
  const read = words === null ? null : /^(\d+)(?:\s*[x× ]\s*(\d+))?$/i.exec(words);
  return read && (read[2] === undefined || read[2] === read[1]) ? Number(read[1]) : null;
}

/** A pattern as it begins at pixel (0, 0), after the offset of the cards is taken into account. */
function cfaOf(words: string | null, x: number | null, y: number | null): CfaPattern | null {
  const pattern = cfaPattern.safeParse(words?.toUpperCase());
  return pattern.success ? shiftCfa(pattern.data, x ?? 0, y ?? 0) : null;
}

/** The pattern seen from pixel (x, y) of a frame whose pixel (0, 0) begins `pattern`. */
export function shiftCfa(pattern: CfaPattern, x: number, y: number): CfaPattern {
  const dx = Math.abs(Math.round(x)) % 2;
  const dy = Math.abs(Math.round(y)) % 2;
  return [0, 1, 2, 3].map((k) => pattern[(((k >> 1) ^ dy) << 1) | ((k & 1) ^ dx)]).join("") as CfaPattern;
}

/**
 * Pixel scale in arcsec/px: 648000/π/1000 × pixel size (µm) × binning / focal length (mm), the binning being the camera's times
 * `binned`; null where a part is missing. Source: derivation (small angle).
 */
export function pixelScaleOf(metadata: SubMetadata, binned = 1): number | null {
  const { pixelSizeUm, focalLengthMm, binning } = metadata;
  if (pixelSizeUm === null || focalLengthMm === null) return null;
  return ((648000 / Math.PI / 1000) * pixelSizeUm * (binning ?? 1) * binned) / focalLengthMm;
}
