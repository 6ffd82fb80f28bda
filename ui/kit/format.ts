import type { FrameUnit } from "@/core/formats";
import { aduPerSample } from "@/core/formats";

/** Numbers as the screen shows them; always with their unit beside them. */

/** How levels of a frame are shown: in electrons where that is what they are, else in ADU (shares of full scale as of 16 bits). */
export function levelUnit(unit: FrameUnit): { unit: string; scale: number; digits: number } {
  if (unit.name === "e-") return { unit: "e⁻", scale: unit.storedPerUnit, digits: 2 };
  return { unit: "ADU", scale: aduPerSample(unit), digits: unit.fullScale <= 255 && unit.name === "ADU" ? 3 : 2 };
}

export function fixed(value: number | null | undefined, digits: number): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const text = value.toFixed(digits);
  // What rounds to nothing has no sign.
  return /^-0\.?0*$/.test(text) ? text.slice(1) : text;
}

/** Seconds as 45 s, 12 min, 1 h 20 min. */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min`;
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** A number with what is counted: 1 sub, 2 subs. */
export const counted = (count: number, one: string): string => `${count} ${count === 1 ? one : `${one}s`}`;

export function megabytes(bytes: number): string {
  return `${(bytes / 2 ** 20).toFixed(bytes < 10 * 2 ** 20 ? 1 : 0)} MB`;
}

export function when(time: number): string {
  return new Date(time).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
}
