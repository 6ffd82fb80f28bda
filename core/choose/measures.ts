import type { FrameUnit, SubMetadata } from "../formats";
import { aduPerSample } from "../formats";
import type { SubMeasures, VideoMeasures } from "../measure";
import { skyGradient } from "../measure";
import type { SubRelation } from "../stack";

/** All that is known of a frame when it is chosen or rejected. */
export interface GradedFrame {
  id: string;
  name: string;
  order: number;
  width: number;
  height: number;
  /** What its samples are. */
  unit: FrameUnit;
  metadata: SubMetadata;
  /** arcsec per px; null where the cards do not tell. */
  pixelScale: number | null;
  measures: SubMeasures;
  /** Frames of a video have these as well. */
  video: VideoMeasures | null;
  /** To the reference; null where it is not known or the stars did not match. */
  relation: SubRelation | null;
  /**
   * Starlight of the best frames of its filter, exposure and camera over the reference's: what 100 % starlight is for it (sets.ts).
   */
  fullLight: number;
  /** Weight over that of the best frame; null without a relation. */
  weight: number | null;
  /** Difference between the sky patches; null without patches. */
  patchDifference: number | null;
}

/** One measure: how it is named, shown, and read from a frame. A new one is one entry below. */
interface MeasureEntry {
  id: string;
  /** As in a sentence: "FWHM", "stars", "sky gradient". */
  label: string;
  /** For the head of a narrow column. */
  short: string;
  unit: string;
  digits: number;
  /** Which end is good; null where neither is. */
  better: "low" | "high" | null;
  help: string;
  value(frame: GradedFrame): number | null;
  /** Shown with a level unit of the sensor (ADU) instead of `unit`. */
  level?: boolean;
  /** A column of the table until a person chooses others. @default false */
  isColumn?: boolean;
}

const mean = (values: number[]): number => values.reduce((a, b) => a + b, 0) / values.length;

/** Sharpness at one size: the band of a video frame's sharpness. */
const sharpnessAt = <P extends number>(px: P, band: number) =>
  ({
    id: `sharpness${px}` as `sharpness${P}`,
    label: `sharpness at ${px} px`,
    short: `Sharp. ${px} px`,
    unit: "",
    digits: 2,
    better: "high",
    help: `Detail of ${px} px alone in a video frame over its light, × 1000`,
    value: ({ video }: GradedFrame) => video && 1000 * video.sharpness[band],
  }) as const satisfies MeasureEntry;

const ALL = [
  {
    id: "fwhm",
    isColumn: true,
    label: "FWHM",
    short: "FWHM",
    unit: "px",
    digits: 2,
    better: "low",
    help: "Median width of the fitted stars; smaller is sharper",
    value: ({ measures }) => measures.fwhmPx,
  },
  {
    id: "fwhmArcsec",
    label: "FWHM on the sky",
    short: "FWHM",
    unit: "arcsec",
    digits: 2,
    better: "low",
    help: "Median width of the fitted stars times the pixel scale",
    value: ({ measures, pixelScale }) =>
      measures.fwhmPx === null || pixelScale === null ? null : measures.fwhmPx * pixelScale,
  },
  {
    id: "eccentricity",
    isColumn: true,
    label: "eccentricity",
    short: "Ecc.",
    unit: "",
    digits: 2,
    better: "low",
    help: "Median eccentricity of the fitted stars; 0 is round",
    value: ({ measures }) => measures.eccentricity,
  },
  {
    id: "elongation",
    label: "long axis",
    short: "Axis",
    unit: "°",
    digits: 0,
    better: null,
    help: "Direction of the stars' long axis from x towards y (down); said where they agree",
    value: ({ measures }) =>
      measures.elongationAngle === null || (measures.elongationAgreement ?? 0) < 0.5
        ? null
        : (measures.elongationAngle * 180) / Math.PI,
  },
  {
    id: "stars",
    isColumn: true,
    label: "stars",
    short: "Stars",
    unit: "",
    digits: 0,
    better: "high",
    help: "Stars found above 5 σ",
    value: ({ measures, video }) => (video ? null : measures.stars),
  },
  {
    id: "background",
    isColumn: true,
    label: "background",
    short: "Backgr.",
    unit: "ADU",
    digits: 0,
    better: "low",
    level: true,
    help: "Sky level, mean of the channels",
    value: ({ measures, unit }) => mean(measures.background) * aduPerSample(unit),
  },
  {
    id: "noise",
    label: "noise",
    short: "Noise",
    unit: "ADU",
    digits: 1,
    better: "low",
    level: true,
    help: "σ per pixel, mean of the channels",
    value: ({ measures, unit }) => mean(measures.noise) * aduPerSample(unit),
  },
  {
    id: "starlight",
    isColumn: true,
    label: "starlight",
    short: "Starlight",
    unit: "%",
    digits: 1,
    better: "high",
    help: "Starlight (or the disc's) against the reference, for another filter or exposure against its own best subs: a bright sky does not count",
    value: ({ relation, fullLight }) => (relation === null ? null : 100 / relation.scale / fullLight),
  },
  {
    id: "weight",
    isColumn: true,
    label: "weight",
    short: "Weight",
    unit: "%",
    digits: 0,
    better: "high",
    help: "What the frame adds to a stack by noise, starlight, width and shape of its stars, against the best frame",
    value: ({ weight }) => (weight === null ? null : 100 * weight),
  },
  {
    id: "saturated",
    label: "saturated",
    short: "Satur.",
    unit: "ppm",
    digits: 0,
    better: "low",
    help: "Pixels that are saturated, in a million",
    value: ({ measures }) => measures.saturatedShare * 1e6,
  },
  {
    id: "doubled",
    label: "doubled stars",
    short: "Doubled",
    unit: "%",
    digits: 0,
    better: "low",
    help: "Stars that have a twin at one and the same offset: the mount jumped during the exposure",
    value: ({ measures, video }) => (video ? null : 100 * (measures.double?.share ?? 0)),
  },
  {
    id: "gradient",
    label: "sky gradient",
    short: "Gradient",
    unit: "σ",
    digits: 1,
    better: "low",
    help: "Difference of the smooth sky across the frame, over its noise",
    value: ({ measures, video, width, height }) => (video ? null : gradientOverNoise(measures, width, height)),
  },
  {
    id: "patchDifference",
    label: "difference between patches",
    short: "Patches",
    unit: "ADU",
    digits: 1,
    better: "low",
    level: true,
    help: "Difference between the medians of the sky patches, in the normalised frame",
    value: ({ patchDifference, unit }) => (patchDifference === null ? null : patchDifference * aduPerSample(unit)),
  },
  {
    id: "sharpness",
    isColumn: true,
    label: "sharpness",
    short: "Sharp.",
    unit: "",
    digits: 2,
    better: "high",
    help: "Detail of 2 and 4 px in a video frame over its light, × 1000",
    value: ({ video }) => video && 1000 * video.quality,
  },
  sharpnessAt(2, 1),
  sharpnessAt(4, 2),
  sharpnessAt(8, 3),
  {
    id: "brightness",
    isColumn: true,
    label: "brightness",
    short: "Bright.",
    unit: "",
    digits: 1,
    better: "high",
    help: "Light of the object in a video frame, in full-scale pixels",
    value: ({ video }) => video && video.brightness,
  },
  {
    id: "drift",
    isColumn: true,
    label: "drift",
    short: "Drift",
    unit: "px",
    digits: 1,
    better: null,
    help: "Distance of the object from the middle of a video frame",
    value: ({ video, width, height }) =>
      video && video.x !== null && video.y !== null
        ? Math.hypot(video.x - (width - 1) / 2, video.y - (height - 1) / 2)
        : null,
  },
  {
    id: "time",
    label: "time",
    short: "Time",
    unit: "h",
    digits: 2,
    better: null,
    help: "Start of the exposure in hours of its day, UTC; after midnight it counts on",
    value: ({ metadata }) => hoursOf(metadata.date),
  },
  {
    id: "order",
    label: "order",
    short: "No.",
    unit: "",
    digits: 0,
    better: null,
    help: "In the order of import",
    value: ({ order }) => order,
  },
  {
    id: "exposure",
    label: "exposure",
    short: "Exp.",
    unit: "s",
    digits: 1,
    better: null,
    help: "Exposure time",
    value: ({ metadata }) => metadata.exposureS,
  },
  {
    id: "temperature",
    label: "temperature",
    short: "Temp.",
    unit: "°C",
    digits: 1,
    better: null,
    help: "Temperature of the sensor",
    value: ({ metadata }) => metadata.temperatureC,
  },
] as const satisfies readonly MeasureEntry[];

export type MeasureId = (typeof ALL)[number]["id"];
export type Measure = MeasureEntry & { id: MeasureId };
export const MEASURES: readonly Measure[] = ALL;
export const MEASURE_IDS = ALL.map(({ id }) => id) as [MeasureId, ...MeasureId[]];
/** Columns of the table to begin with. */
export const FIRST_COLUMNS = MEASURES.filter(({ isColumn }) => isColumn).map(({ id }) => id);

/** By id; RangeError for an unknown one. */
export function measureOf(id: MeasureId): Measure {
  const found = MEASURES.find((measure) => measure.id === id);
  if (!found) throw new RangeError(`measure must be one of ${MEASURE_IDS.join(", ")}, received ${id}`);
  return found;
}

/** Span of the sky's slope over σ per pixel: a level may be anything, a pedestal, zero or less; noise may not. Null without noise. */
function gradientOverNoise(measures: SubMeasures, width: number, height: number): number | null {
  const sigma = mean(measures.noise);
  return sigma > 0 ? skyGradient(measures, width, height).span / sigma : null;
}

/** Hours since noon's day began, so that a night runs on past 24. */
function hoursOf(date: string | null): number | null {
  const read = date === null ? null : /T(\d{2}):(\d{2}):(\d{2}(?:\.\d+)?)/.exec(date);
  if (!read) return null;
  const hours = Number(read[1]) + Number(read[2]) / 60 + Number(read[3]) / 3600;
  return hours < 12 ? hours + 24 : hours;
}
