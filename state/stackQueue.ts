import type { QueuedStack, StackInWork } from "@/storage";
import type { Outcome } from "./jobs";
import type { ProjectStore } from "./projectStore";

/** Stacks that wait to be made, one after the other; the list is kept with the project. */
export class StackQueue {
  private working = false;

  constructor(
    private readonly base: ProjectStore,
    private readonly make: (run: StackInWork) => Promise<Outcome<unknown>>,
  ) {}

  private get waiting(): QueuedStack[] {
    return this.base.project.stackQueue;
  }

  /** Puts stacks at the end of the list; they are not begun by it. */
  add(runs: readonly StackInWork[]): void {
    const added = runs.map((run) => ({ ...run, id: crypto.randomUUID() }));
    this.base.saveProject({ stackQueue: [...this.waiting, ...added] });
  }

  remove(id: string): void {
    this.base.saveProject({ stackQueue: this.waiting.filter((run) => run.id !== id) });
  }

  /** Makes what waits, the first first. One that fails or is stopped ends the round; one that fails waits again, before the others. */
  async work(): Promise<void> {
    if (this.working) return;
    this.working = true;
    try {
      for (let [next] = this.waiting; next; [next] = this.waiting) {
        const { id, ...run } = next;
        // While it is made, the project knows it as the stack in work.
        this.remove(id);
        const outcome = await this.make(run);
        if (!("ended" in outcome)) continue;
        if (outcome.ended === "failed") this.base.saveProject({ stackQueue: [next, ...this.waiting] });
        break;
      }
    } finally {
      this.working = false;
    }
  }
}
