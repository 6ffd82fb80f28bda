import { z } from "zod";
import type { FitsHeader } from "./header";

/** What the cards of a sub tell about it; every field is null where its card is missing. */
export const subMetadata = z.object({
  object: z.string().nullable(),
  instrument: z.string().nullable(),
  filter: z.string().nullable(),
  date: z.string().nullable(),
  exposureS: z.number().positive().nullable().catch(null),
  gain: z.number().nullable().catch(null),
  electronsPerAdu: z.number().positive().nullable().catch(null),
  temperatureC: z.number().nullable().catch(null),
  pixelSizeUm: z.number().positive().nullable().catch(null),
  focalLengthMm: z.number().positive().nullable().catch(null),
  binning: z.number().positive().nullable().catch(null),
});
export type SubMetadata = z.infer<typeof subMetadata>;

/** Reads metadata from the usual cards (EXPTIME and DATE-OBS: FITS Standard 4.0; the others: common practice). */
export function metadataOf(header: FitsHeader): SubMetadata {
  const first = (...keywords: string[]) => {
    for (const keyword of keywords) {
      const value = header.get(keyword);
      if (value !== undefined && value !== null) return value;
    }
    return null;
  };
  const text = (...keywords: string[]) => {
    const value = first(...keywords);
    return value === null ? null : String(value);
  };
  return subMetadata.parse({
    object: text("OBJECT"),
    instrument: text("INSTRUME"),
    filter: text("FILTER"),
    date: text("DATE-OBS"),
    exposureS: first("EXPTIME", "EXPOSURE"),
    gain: first("GAIN"),
    electronsPerAdu: first("EGAIN"),
    temperatureC: first("CCD-TEMP"),
    pixelSizeUm: first("XPIXSZ"),
    focalLengthMm: first("FOCALLEN"),
    binning: first("XBINNING"),
  });
}

/** 206.265 × pixel size (µm) × binning / focal length (mm), in arcsec per px; null where a card is missing. */
export function pixelScaleOf(metadata: SubMetadata): number | null {
  const { pixelSizeUm, focalLengthMm, binning } = metadata;
  if (pixelSizeUm === null || focalLengthMm === null) return null;
  return ((648000 / Math.PI / 1000) * pixelSizeUm * (binning ?? 1)) / focalLengthMm;
}
