import type { Transform } from "@/core/register";
import { composeTransforms, IDENTITY, invertTransform } from "@/core/register";
import type { StackRecord } from "@/storage";

type Tied = Pick<StackRecord, "id" | "toProject"> & {
  report: { subs: readonly { id: string; transform: readonly number[] | null }[] };
};

/**
 * The transform from the pixels of a stack to those of another over a sub that went into both, whose transforms to both references
 * are known. Null where no sub is in both.
 */
export function overCommonSub(from: Tied, to: Tied): Transform | null {
  const known = new Map(from.report.subs.flatMap((sub) => (sub.transform ? [[sub.id, sub.transform] as const] : [])));
  for (const sub of to.report.subs) {
    const first = known.get(sub.id);
    if (first && sub.transform)
      return composeTransforms(sub.transform as Transform, invertTransform(first as Transform));
  }
  return null;
}

/**
 * From the coordinates of the project (the pixels of the stack that was its first) to the pixels of a stack; null where the two could
 * not be tied, which is never guessed. Stacks of before this was kept are tied to `first` over a common sub.
 */
export function projectToStack(first: Tied, stack: Tied): Transform | null {
  if (stack.toProject) return invertTransform(stack.toProject);
  return first.id === stack.id ? IDENTITY : overCommonSub(first, stack);
}
