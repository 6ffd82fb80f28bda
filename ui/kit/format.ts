/** Numbers as the screen shows them; always with their unit beside them. */

/** Levels of 16-bit data in ADU, of other data in millionths of full scale. */
export function levelUnit(bitpix: number): { unit: string; scale: number; digits: number } {
  if (bitpix === 16) return { unit: "ADU", scale: 65535, digits: 2 };
  if (bitpix === 8) return { unit: "of 255", scale: 255, digits: 3 };
  return { unit: "ppm", scale: 1e6, digits: 1 };
}

export function fixed(value: number | null | undefined, digits: number): string {
  return value === null || value === undefined || !Number.isFinite(value) ? "–" : value.toFixed(digits);
}

/** Seconds as 45 s, 12 min, 1 h 20 min. */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min`;
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

export function megabytes(bytes: number): string {
  return `${(bytes / 2 ** 20).toFixed(bytes < 10 * 2 ** 20 ? 1 : 0)} MB`;
}

export function when(time: number): string {
  return new Date(time).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
}
