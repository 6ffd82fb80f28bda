import * as z from "zod";
import type { SubMetadata, UnitName } from "./metadata";
import { unitName } from "./metadata";

/**
 * The unit of a frame's numbers. `fullScale` and `saturation` are numbers as the file stores them (with BSCALE and BZERO); a sample of 1.0 in a
 * Raster is `storedPerUnit` of them. `from` says where each was found.
 */
export const frameUnit = z.object({
  name: unitName,
  storedPerUnit: z.number().positive(),
  /** The largest number that the sensor's converter gives, or a finished picture shows as white. */
  fullScale: z.number().positive(),
  /** From here on a pixel holds less than all of its light; null where none seems to be saturated. */
  saturation: z.number().nullable(),
  /** Electrons in an ADU; null where not known. */
  electronsPerAdu: z.number().positive().nullable(),
  from: z.object({ name: z.string(), fullScale: z.string(), saturation: z.string() }),
});
export type FrameUnit = z.infer<typeof frameUnit>;

/** What header cards or a person say of the unit. */
export type UnitClaims = Pick<SubMetadata, "unit" | "fullScale" | "saturation" | "electronsPerAdu"> & {
  /** Claims that a person typed in. */
  typed?: readonly string[];
};

/** Where the numbers of a frame lie, in samples of its Raster: `top` is the level that a hundred-thousandth of them exceeds. */
export interface DataRange {
  least: number;
  top: number;
  most: number;
}

/** How a file stores its samples. */
export interface StoredSamples {
  /** Bits a sample; negative for floats. */
  bitpix: number;
  /** Stored number that becomes 1.0 in a Raster. */
  fullScale: number;
}

/** A share of the type's full scale from which integers count as saturated, where nothing better is known (common practice). */
const TYPE_SHARE = 0.95;
/** Numbers up to here are shares of full scale: flat fields lift saturated corners above 1. */
const MOST_SHARE = 2;
const SIXTEEN_BITS = 65535;

/** Whether the type alone shows full scale: integers of 8 and 16 bits. Others must be looked at. */
export const typeTellsUnit = ({ bitpix }: StoredSamples): boolean => bitpix > 0 && bitpix <= 16;

/**
 * The unit of a frame: what a person typed, else what its cards claim where the data allow it, else what the type says (integers of
 * 8 and 16 bits), else what the range of the data says: up to 2 a share, up to 16 bits ADU, beyond that the largest number there is.
 * `range` is needed unless typeTellsUnit. Cards that contradict the data (65535 in a picture of 0 … 1) are scaled or not believed.
 * Source: common practice; BUNIT and DATAMAX in FITS Standard 4.0, 4.4.2.5.
 */
export function unitOf(stored: StoredSamples, claims: UnitClaims, range: DataRange | null): FrameUnit {
  const typed = (field: string): boolean => claims.typed?.includes(field) ?? false;
  const byType = typeTellsUnit(stored);
  const top = range ? range.top * stored.fullScale : stored.fullScale;
  const isShare = !byType && stored.bitpix < 0 && top <= MOST_SHARE;
  // A full scale of 1 says what BUNIT has no word for. Electrons may be few; ADU and shares are held against the data.
  const said = claims.unit ?? (claims.fullScale === 1 && !byType ? "share" : null);
  const agrees = typed("unit") || said === "e-" || (said === "share") === isShare;
  const claimedName = said !== null && agrees ? said : null;
  const name: UnitName = claimedName ?? (isShare ? "share" : "ADU");
  const nameFrom =
    claimedName !== null ? (typed("unit") ? "typed in" : "header") : byType ? "sample type" : "range of the data";

  /** A claimed level in the numbers of this file; null where the data rule it out. */
  const believed = (field: "fullScale" | "saturation"): number | null => {
    const claim = claims[field];
    if (claim === null || typed(field)) return claim;
    if (name === "share" && claim > MOST_SHARE) return claim > 1000 ? claim / SIXTEEN_BITS : null;
    if (name !== "share" && claim <= MOST_SHARE) return null;
    return claim;
  };
  const claimedFull = believed("fullScale");
  const guessed = byType
    ? stored.fullScale
    : name === "share"
      ? 1
      : top <= 1.05 * SIXTEEN_BITS
        ? SIXTEEN_BITS
        : Math.max(top, (range?.most ?? 1) * stored.fullScale);
  const fullScale = claimedFull !== null && (typed("fullScale") || claimedFull >= 0.5 * top) ? claimedFull : guessed;
  const fullFrom =
    fullScale === claimedFull
      ? typed("fullScale")
        ? "typed in"
        : "header"
      : byType
        ? "sample type"
        : name === "e-" || guessed > 1.05 * SIXTEEN_BITS
          ? "range of the data"
          : name === "share"
            ? "range of the data (0 … 1)"
            : "range of the data (16 bits)";
  const claimedSaturation = believed("saturation");
  return {
    name,
    storedPerUnit: stored.fullScale,
    fullScale,
    saturation: claimedSaturation ?? TYPE_SHARE * fullScale,
    electronsPerAdu: claims.electronsPerAdu,
    from: {
      name: nameFrom,
      fullScale: fullFrom,
      saturation: claimedSaturation === null ? "95 % of full scale" : typed("saturation") ? "typed in" : "header",
    },
  };
}

/** A level in stored numbers as a sample of the Raster. */
export const toSample = ({ storedPerUnit }: FrameUnit, stored: number): number => stored / storedPerUnit;

/** How many ADU a sample of 1.0 is; shares count as of 16 bits (common practice); electrons as themselves where the gain is not known. */
export function aduPerSample({ name, storedPerUnit, electronsPerAdu }: FrameUnit): number {
  if (name === "share") return SIXTEEN_BITS * storedPerUnit;
  return name === "e-" ? storedPerUnit / (electronsPerAdu ?? 1) : storedPerUnit;
}

/**
 * What samples of one frame must be multiplied by to be in the unit of another of the same sensor: ADU are ADU, shares are taken from
 * full scale to full scale, electrons by the gain. Null where it cannot be known: electrons against ADU or shares without a gain.
 */
export function factorBetween(from: FrameUnit, to: FrameUnit): number | null {
  const steps = from.storedPerUnit / to.storedPerUnit;
  if (from.name === to.name && from.name !== "share") return steps;
  if (from.name === "share" || to.name === "share") {
    if (from.name === "e-" || to.name === "e-") {
      const gain = from.electronsPerAdu ?? to.electronsPerAdu;
      if (gain === null) return null;
      return from.name === "e-" ? steps / gain / SIXTEEN_BITS : steps * gain * SIXTEEN_BITS;
    }
    return (steps * to.fullScale) / from.fullScale;
  }
  const gain = from.electronsPerAdu ?? to.electronsPerAdu;
  if (gain === null) return null;
  return from.name === "e-" ? steps / gain : steps * gain;
}

/** A unit in words, as screens and messages name it. */
export const UNIT_LABELS: Record<UnitName, string> = { ADU: "ADU", "e-": "e⁻", share: "share of full scale" };

/** The unit of pictures that are made of frames of `unit`: their samples are written as they are. */
export function unitOfSamples(unit: FrameUnit): FrameUnit {
  if (unit.storedPerUnit === 1) return unit;
  return {
    ...unit,
    name: "share",
    storedPerUnit: 1,
    fullScale: toSample(unit, unit.fullScale),
    saturation: unit.saturation === null ? null : toSample(unit, unit.saturation),
  };
}

/** Cards that show the unit of a float picture, for whoever reads it next. BUNIT: FITS Standard 4.0, 4.3; SATURATE: common practice. */
export function unitCards({ name, fullScale, saturation }: FrameUnit): [string, string | number, string][] {
  return [
    ...(name === "share"
      ? []
      : ([["BUNIT", name === "ADU" ? "adu" : "electron", "unit of the samples"]] as [string, string, string][])),
    ["DATAMAX", fullScale, "full scale of the sensor in these samples"],
    ...(saturation === null
      ? []
      : ([["SATURATE", saturation, "samples from here on are saturated"]] as [string, number, string][])),
  ];
}
