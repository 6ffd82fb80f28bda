import type { ChainStep } from "@/core/chain";
import { placedStep } from "@/core/chain";
import type { Warp } from "@/core/register";
import { inverse } from "@/core/register";
import type { Treatment } from "@/engine/tasks/crop";
import type { Lane, StackRecord } from "@/storage";
import type { ProjectSession } from "./project";
import { projectToStack } from "./stackFrames";

/** Steps as they are on the pixels of a stack: without what only the screen needs, so that equal steps are equal, their masks' outlines and patches of sky moved from the project's coordinates. */
export function stepsOnStack(steps: Lane["steps"], toStack: Warp | null): Treatment["steps"] {
  return steps.map(({ id: _id, ...step }) => (toStack ? placedStep(step, toStack) : step));
}

/** Steps that lie on the pixels of a stack, in the project's coordinates. */
export const stepsInProject = (steps: ChainStep[], toStack: Warp | null): ChainStep[] =>
  toStack ? steps.map((step) => placedStep(step, inverse(toStack))) : steps;

/** A lane's stack, where it lies, and what is done to it, its facts measured where they were not known; null where its stack is gone or could not be tied. */
export async function treatmentOf(
  session: Pick<ProjectSession, "store" | "stacks" | "facts">,
  lane: Lane,
  signal?: AbortSignal,
): Promise<{ stack: StackRecord; toPicture: Warp; treatment: Treatment } | null> {
  const { stacks } = session.store.getState();
  const stack = stacks.find(({ id }) => id === lane.stackId);
  const toPicture = stack ? projectToStack(stacks[0], stack) : null;
  if (!stack || !toPicture) return null;
  const subject = await session.stacks.subjectOf(stack);
  const steps = stepsOnStack(lane.steps, toPicture);
  const facts = await session.facts.settle(subject, steps, signal);
  return { stack, toPicture, treatment: { ...subject, steps, facts } };
}
