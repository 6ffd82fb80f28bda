import { UserError } from "@/core/job";

/** Throws for the first NaN or infinity in plain data, with its place: such a record could be written, and never be read again. */
export function checkFinite(record: unknown, what: string): void {
  const at = placeOf(record, []);
  if (at)
    throw new UserError(
      `${what}: ${at.join(".")} came to no number`,
      "Nothing was stored of it. Leave out what it was made of, or measure it again.",
    );
}

function placeOf(value: unknown, path: string[]): string[] | null {
  if (typeof value === "number") return Number.isFinite(value) ? null : path;
  if (typeof value !== "object" || value === null || value instanceof Blob) return null;
  for (const [key, own] of Object.entries(value)) {
    const found = placeOf(own, [...path, key]);
    if (found) return found;
  }
  return null;
}
