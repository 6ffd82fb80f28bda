import { proposeReference } from "@/core/choose";
import type { StackRecord, SubRecord } from "@/storage";
import type { Grades } from "./lights";
import { gradeLights, lightsOf } from "./lights";
import type { ProjectState } from "./projectStore";

/** What follows from a project's state alone; worked out once for each state. */

const grades = new WeakMap<readonly SubRecord[], { project: ProjectState["project"]; value: Grades }>();

/** Measures, sets and verdicts of the lights. */
export function gradesOf({ subs, project }: Pick<ProjectState, "subs" | "project">): Grades {
  const known = grades.get(subs);
  if (known?.project === project) return known.value;
  const value = gradeLights(subs, project);
  grades.set(subs, { project, value });
  return value;
}

export function includedLights(state: Pick<ProjectState, "subs" | "project">): SubRecord[] {
  const { lights, verdicts } = gradesOf(state);
  return lights.filter(({ id }) => verdicts.get(id)?.included);
}

/** The reference that counts: a person's, or the proposed one. */
export function referenceOf(state: Pick<ProjectState, "subs" | "project" | "proposal">): SubRecord | null {
  const { subs, project, proposal } = state;
  const lights = lightsOf(subs);
  const proposed = proposal ?? proposeReference([...gradesOf(state).frames.values()]);
  return lights.find(({ id }) => id === project.referenceId) ?? lights.find(({ id }) => id === proposed?.id) ?? null;
}

/** The name of the next stack where none is given: "Stack" and the first number from their count on that is free. */
export function nextStackName({ stacks, project }: Pick<ProjectState, "stacks" | "project">): string {
  const taken = new Set([...stacks, ...project.stackQueue].map(({ name }) => name));
  let number = stacks.length + project.stackQueue.length + 1;
  while (taken.has(`Stack ${number}`)) number++;
  return `Stack ${number}`;
}

/** The stack on whose pixels the spots of the project lie; null before there is one. */
export const firstStack = ({ stacks }: Pick<ProjectState, "stacks">): StackRecord | null => stacks[0] ?? null;
