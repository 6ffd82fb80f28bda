import type { Transform } from "@/core/register";
import { composeTransforms, IDENTITY, invertTransform } from "@/core/register";
import type { StackRecord } from "@/storage";

/**
 * The transform from the pixels of one stack to those of another, over a sub that went into both (its transforms to both
 * references are known). The identity for the same stack, and where no sub is in both.
 */
export function stackToStack(from: StackRecord, to: StackRecord): Transform {
  if (from.id === to.id) return IDENTITY;
  const known = new Map(from.report.subs.flatMap((sub) => (sub.transform ? [[sub.id, sub.transform] as const] : [])));
  for (const sub of to.report.subs) {
    const first = known.get(sub.id);
    if (first && sub.transform) return composeTransforms(sub.transform, invertTransform(first));
  }
  return IDENTITY;
}
