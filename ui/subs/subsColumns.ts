import type { SubRecord } from "@/storage";

export type SortKey = "order" | "name" | "fwhm" | "eccentricity" | "stars" | "background" | "noise" | "transmission";

export const COLUMNS: { key: SortKey; label: string; unit: string; help: string; width: string }[] = [
  {
    key: "fwhm",
    label: "FWHM",
    unit: "px",
    help: "Median width of the fitted stars; smaller is sharper",
    width: "w-14",
  },
  {
    key: "eccentricity",
    label: "Ecc.",
    unit: "",
    help: "Median eccentricity of the fitted stars; 0 is round",
    width: "w-12",
  },
  { key: "stars", label: "Stars", unit: "", help: "Stars found above 5 σ", width: "w-12" },
  { key: "background", label: "Backgr.", unit: "", help: "Sky level, mean of the channels", width: "w-16" },
  { key: "noise", label: "Noise", unit: "", help: "σ per pixel, mean of the channels", width: "w-14" },
  {
    key: "transmission",
    label: "Transm.",
    unit: "%",
    help: "Starlight against the reference, from stars in both",
    width: "w-16",
  },
];

const mean = (values: number[]) => values.reduce((a, b) => a + b, 0) / values.length;

export function valueOf(sub: SubRecord, key: SortKey, transmission: Map<string, number>): number | string | null {
  if (key === "order") return sub.order;
  if (key === "name") return sub.name;
  if (key === "fwhm") return sub.measures.fwhmPx;
  if (key === "eccentricity") return sub.measures.eccentricity;
  if (key === "stars") return sub.measures.stars;
  if (key === "background") return mean(sub.measures.background);
  if (key === "noise") return mean(sub.measures.noise);
  return transmission.get(sub.id) ?? null;
}

/** Sorted by a measure; subs without it come last either way. */
export function sortSubs(
  subs: SubRecord[],
  key: SortKey,
  down: boolean,
  transmission: Map<string, number>,
): SubRecord[] {
  const sign = down ? -1 : 1;
  return [...subs].sort((p, q) => {
    const a = valueOf(p, key, transmission);
    const b = valueOf(q, key, transmission);
    if (a === null || b === null) return (a === null ? 1 : 0) - (b === null ? 1 : 0);
    return a < b ? -sign : a > b ? sign : 0;
  });
}
