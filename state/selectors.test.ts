import type { ProjectState } from "./projectStore";
import { nextStackName } from "./selectors";

test("a stack without a name gets the first number that is free, those that wait counted in", () => {
  const state = (stacks: string[], queue: string[]) =>
    ({
      stacks: stacks.map((name) => ({ name })),
      project: { stackQueue: queue.map((name) => ({ name })) },
    }) as unknown as ProjectState;
  expect(nextStackName(state([], []))).toBe("Stack 1");
  expect(nextStackName(state(["Stack 1", "Weir"], ["Stack 3"]))).toBe("Stack 4");
  // One was deleted: what is left of the numbers is not used twice.
  expect(nextStackName(state(["Stack 2", "Stack 3"], []))).toBe("Stack 4");
});
