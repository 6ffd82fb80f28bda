import { DEFAULT_DEMOSAIC } from "@/core/calibrate";
import type { StackRecord } from "@/storage";

/** Settings and counts in which a stack differs from its neighbour, in words. */
export function differences(before: StackRecord, after: StackRecord): string {
  const words: string[] = [];
  if (before.report.subsUsed !== after.report.subsUsed)
    words.push(`${after.report.subsUsed} subs, not ${before.report.subsUsed}`);
  const a = before.settings;
  const b = after.settings;
  if (a.reject !== b.reject) words.push(b.reject === "none" ? "nothing rejected" : "outliers rejected");
  else if (b.reject === "sigma" && (a.lowSigma !== b.lowSigma || a.highSigma !== b.highSigma))
    words.push(`σ limits ${b.lowSigma} / ${b.highSigma}`);
  if (a.weights !== b.weights) words.push(b.weights === "equal" ? "equal weights" : "weighted by noise");
  if (a.resampling !== b.resampling) words.push(b.resampling === "bicubic" ? "bicubic" : "Lanczos 3");
  if (a.transform !== b.transform) words.push(b.transform);
  const calibrated = calibrationWords(after);
  if (calibrationWords(before) !== calibrated) words.push(calibrated);
  if (before.report.referenceName !== after.report.referenceName) words.push(`reference ${after.report.referenceName}`);
  return words.length > 0 ? words.join(", ") : "same settings and subs";
}

/** How the subs of a stack were calibrated: "with darks and flats", "without darks", … */
export function calibrationWords({ calibration }: Pick<StackRecord, "calibration">): string {
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
