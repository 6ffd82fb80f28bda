import type { Warp } from "@/core/register";
import { compose, IDENTITY, inverse } from "@/core/register";
import type { StackRecord } from "@/storage";

type Tied = Pick<StackRecord, "id" | "toProject"> & {
  report: { subs: readonly { id: string; toReference: Warp | null }[] };
};

/**
 * The warp from the pixels of a stack to those of another over a sub that went into both, whose warps to both references
 * are known. Null where no sub is in both.
 */
export function overCommonSub(from: Tied, to: Tied): Warp | null {
  const known = new Map(
    from.report.subs.flatMap((sub) => (sub.toReference ? [[sub.id, sub.toReference] as const] : [])),
  );
  for (const sub of to.report.subs) {
    const first = known.get(sub.id);
    if (first && sub.toReference) return compose(sub.toReference, inverse(first));
  }
  return null;
}

/**
 * From the coordinates of the project (the pixels of the stack that was its first) to the pixels of a stack; null where the two could
 * not be tied, which is never guessed. Stacks of before this was kept are tied to `first` over a common sub.
 */
export function projectToStack(first: Tied, stack: Tied): Warp | null {
  if (stack.toProject) return inverse(stack.toProject);
  return first.id === stack.id ? IDENTITY : overCommonSub(first, stack);
}
