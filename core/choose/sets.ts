import type { SubMetadata } from "../formats";

/** What frames are kept apart by. */
export const SET_KEYS = ["filter", "exposure", "camera", "night"] as const;
export type SetKey = (typeof SET_KEYS)[number];

export interface FrameSet<T> {
  key: string;
  /** In words: "L · 120 s". */
  label: string;
  frames: T[];
  integrationS: number;
}

/**
 * The night of a date: the day on which its evening lies, by the hour at the place being unknown from noon to noon UTC.
 * Null without a date.
 */
export function nightOf(date: string | null): string | null {
  const ms = date === null ? NaN : Date.parse(`${date}Z`);
  return Number.isNaN(ms) ? null : new Date(ms - 12 * 3600_000).toISOString().slice(0, 10);
}

const partOf = (key: SetKey, metadata: SubMetadata): string => {
  if (key === "filter") return metadata.filter ?? "no filter";
  if (key === "exposure") return metadata.exposureS === null ? "exposure unknown" : `${metadata.exposureS} s`;
  if (key === "camera") return metadata.instrument ?? "camera unknown";
  return nightOf(metadata.date) ?? "night unknown";
};

/** Frames by the given properties, in the order in which each set comes first. */
export function setsOf<T extends { metadata: SubMetadata }>(
  frames: readonly T[],
  by: readonly SetKey[],
): FrameSet<T>[] {
  const sets = new Map<string, FrameSet<T>>();
  for (const frame of frames) {
    const label = by.map((key) => partOf(key, frame.metadata)).join(" · ") || "all";
    const known = sets.get(label) ?? { key: label, label, frames: [], integrationS: 0 };
    known.frames.push(frame);
    known.integrationS += frame.metadata.exposureS ?? 0;
    sets.set(label, known);
  }
  return [...sets.values()];
}

/** The share of the best frames of a set that stands for clear sky, and how many frames it takes to tell. */
const CLEAR_QUANTILE = 0.9;

/**
 * What full starlight is for each frame, over that of the reference, by id: 1 for those of the reference's filter, exposure and camera; for the
 * others the 0.9 quantile of their own set, since another filter or exposure shows another amount of light under a clear sky.
 */
export function fullLightOf(
  frames: readonly { id: string; metadata: SubMetadata; relation: { scale: number } | null }[],
  referenceId: string | null,
): Map<string, number> {
  return new Map(
    setsOf(frames, ["filter", "exposure", "camera"]).flatMap((set) => {
      const isOwn = referenceId === null || set.frames.some(({ id }) => id === referenceId);
      const lights = set.frames.flatMap(({ relation }) => (relation ? [1 / relation.scale] : [])).sort((a, b) => a - b);
      const clear = lights[Math.round(CLEAR_QUANTILE * (lights.length - 1))];
      return set.frames.map(({ id }) => [id, isOwn || !(clear > 0) ? 1 : clear] as const);
    }),
  );
}

/** The properties in which frames differ, of those that sets are made by; exposure and filter if they all agree. */
export function tellingKeys<T extends { metadata: SubMetadata }>(frames: T[]): SetKey[] {
  return SET_KEYS.filter((key) => new Set(frames.map(({ metadata }) => partOf(key, metadata))).size > 1);
}
