import { DEFAULT_DEMOSAIC } from "@/core/calibrate";
import { differencesInWords } from "@/core/parameters";
import { stackParameters } from "@/core/stack";
import type { StackRecord } from "@/storage";
import { counted } from "../kit/format";

/** Settings and counts in which a stack differs from its neighbour, in words. */
export const differences = (before: StackRecord, after: StackRecord): string =>
  differenceList(before, after).join(", ");

/** The same one by one. */
export function differenceList(before: StackRecord, after: StackRecord): string[] {
  if (after.brought?.copyOf) return [`a copy at ${Math.round(100 * after.brought.copyOf.factor)} %`];
  if (after.brought) return [after.brought.joined ? "joined into colour" : "made elsewhere"];
  if (before.brought) return ["made here"];
  const words: string[] = [];
  if (before.report.subsUsed !== after.report.subsUsed)
    words.push(`${counted(after.report.subsUsed, "sub")}, not ${before.report.subsUsed}`);
  // Memory changes no pixel.
  const { memoryMiB: _, ...mine } = after.settings;
  words.push(...differencesInWords(stackParameters, { ...before.settings, ...mine }, before.settings));
  const calibrated = calibrationWords(after);
  if (calibrationWords(before) !== calibrated) words.push(calibrated);
  if (before.report.referenceName !== after.report.referenceName) words.push(`reference ${after.report.referenceName}`);
  return words.length > 0 ? words : ["same settings and subs"];
}

/** How the subs of a stack were calibrated: "with darks and flats", "without darks", … */
export function calibrationWords({ calibration, brought }: Pick<StackRecord, "calibration" | "brought">): string {
  if (brought) return brought.joined ? "as its parts" : "elsewhere";
  if (!calibration) return "subs as they came";
  const kinds = (["dark", "flat", "bias"] as const).filter((kind) =>
    calibration.groups.some((group) => group[kind] !== null),
  );
  const names = kinds.map((kind) => ({ dark: "darks", flat: "flats", bias: "bias" })[kind]);
  const { demosaic, bin } = calibration.plan.settings;
  const how = [demosaic === DEFAULT_DEMOSAIC ? "" : demosaic, bin > 1 ? `binned ${bin}×${bin}` : ""]
    .filter(Boolean)
    .join(", ");
  return `${names.length === 0 ? "without masters" : `with ${names.join(" and ")}`}${how ? ` (${how})` : ""}`;
}

/** Of how many subs a stack is made, as far as that is known. */
export function subsWords({ brought, report }: Pick<StackRecord, "brought" | "report">): string {
  if (brought && brought.combined === null) return "of unknown subs";
  return `${report.subsUsed} ${report.subsUsed === 1 ? "sub" : "subs"}`;
}
