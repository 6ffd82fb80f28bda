import { toSample } from "@/core/formats";
import { UserError } from "@/core/job";
import type { StackSettings } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
import { PRIORITY } from "@/engine/pool";
import type { CalibrationPlan, StackInWork, StackRecord } from "@/storage";
import { hasHalves } from "@/storage";
import type { BoardBook } from "./boardBook";
import type { FoundGroup } from "./broughtStack";
import { bringStack, groupFound } from "./broughtStack";
import type { CalibrationBook } from "./calibrationBook";
import type { Subject } from "./facts";
import type { CopyChoice } from "./copiedStack";
import { copyStack } from "./copiedStack";
import type { Files } from "./files";
import type { Outcome } from "./jobs";
import type { JoinChoice } from "./joinedStack";
import { joinProjectStacks } from "./joinedStack";
import type { ProjectStore } from "./projectStore";
import type { FoundPicture } from "./roles";
import { kindOf, roleOf } from "./roles";
import { includedLights } from "./selectors";
import { StackQueue } from "./stackQueue";
import { makeProjectStack } from "./stacks";
import { storageFailure } from "./storageFailure";

/** Of which subs a stack is made (all that are included), through which plan, and on the pixels of which sub. */
interface MakeOptions {
  only?: ReadonlySet<string>;
  plan?: CalibrationPlan;
  gridId?: string | null;
}

/** Letters that a stack's name may have, as the records say. */
const MOST_NAME = 80;

/** The stacks of a project. */
export class StackBook {
  private closed = false;
  readonly queue: StackQueue;
  private readonly subjects = new Map<string, Promise<Subject>>();

  constructor(
    private readonly base: ProjectStore,
    private readonly files: Files,
    private readonly calibration: CalibrationBook,
    private readonly board: BoardBook,
  ) {
    this.queue = new StackQueue(base, (run) => this.run(run));
  }

  /** Makes a stack of the included lights (of the given ones, where only some shall go in), calibrated by `plan`. */
  async make(name: string, settings: StackSettings, options: MakeOptions = {}): Promise<StackRecord | null> {
    return (await this.attempt(name, settings, options)).made;
  }

  private async attempt(name: string, settings: StackSettings, options: MakeOptions): Promise<Outcome<StackRecord>> {
    const { base } = this;
    const plan = options.plan ?? base.project.calibration;
    const only = options.only ? [...options.only] : null;
    const gridId = options.gridId ?? null;
    base.saveProject({ stackInWork: { name, settings, only, plan, gridId } });
    const outcome = await base.jobs.attempt("stack", `Stacking “${name}”`, async (control) => {
      const included = includedLights(base.now).filter(({ id }) => options.only?.has(id) ?? true);
      const stackRecord = await makeProjectStack(
        { base, files: this.files, calibration: this.calibration },
        { name, settings, included, plan, gridId },
        control,
      );
      return this.adopt(stackRecord);
    });
    // Made, stopped or failed, it is not in work any more; only a page that is closed leaves it so.
    if (!this.closed) base.saveProject({ stackInWork: null });
    return outcome;
  }

  /** Takes a stack that was made and stored into the project, and shows it. */
  private adopt(made: StackRecord): StackRecord {
    this.base.state.setState(({ stacks }) => ({ stacks: [...stacks, made], currentStackId: made.id }));
    this.board.begin(made);
    return made;
  }

  /** Sets chosen files aside to be brought in as stacks, each as what its header or its name says. */
  async find(files: readonly { name: string; blob: Blob }[]): Promise<void> {
    const { state, pool } = this.base;
    for (const { name, blob } of files)
      try {
        const frame: FrameRef = { id: crypto.randomUUID(), name, kind: "blob", blob };
        const reading = await pool.run("readFile", { frame }, { priority: PRIORITY.view });
        const file = { name, blob, role: roleOf(name, reading.metadata.product, kindOf(reading.cards)) };
        state.setState(({ found }) => ({ found: [...found, file] }));
      } catch (error) {
        this.base.report(error);
      }
  }

  /** Gives what was set aside another part to play, or lets it go. */
  setFound(found: FoundPicture[]): void {
    this.base.state.setState({ found });
  }

  /** Brings the stacks among what was set aside in, with their halves; what cannot be is left there and told. */
  async bringIn(): Promise<void> {
    const { base } = this;
    let groups: FoundGroup[];
    try {
      groups = groupFound(base.now.found);
    } catch (error) {
      return base.report(error);
    }
    for (const group of groups) {
      const made = await base.jobs.run("stack", `Bringing in ${group.stack.name}`, (control) =>
        bringStack(base, group, control),
      );
      if (!made) return;
      const taken = new Set<FoundPicture>([group.stack, ...Object.values(group.parts)]);
      base.state.setState(({ found }) => ({ found: found.filter((file) => !taken.has(file)) }));
      this.adopt(made);
    }
    // What is left is no stack, nor part of one.
    base.state.setState({ found: [] });
  }

  /** Joins stacks of single channels into colour. */
  async join(choice: JoinChoice): Promise<void> {
    const { base, files } = this;
    const name = `Colour ${base.now.stacks.filter(({ brought }) => brought?.joined).length + 1}`;
    const made = await base.jobs.run("stack", `Joining “${name}”`, (control) =>
      joinProjectStacks({ base, files }, name, choice, control),
    );
    if (made) this.adopt(made);
  }

  private run({ name, settings, only, plan, gridId }: StackInWork): Promise<Outcome<StackRecord>> {
    return this.attempt(name, settings, { only: only ? new Set(only) : undefined, plan, gridId });
  }

  /** What a stack was made of, to be made again: alike it comes to the same bytes. */
  recipeOf(
    { name, settings, report, calibration, gridId }: StackRecord,
    change: Partial<StackSettings> = {},
  ): StackInWork {
    return {
      name: `${name.slice(0, 74)} again`,
      settings: { ...settings, ...change },
      only: report.subs.map(({ id }) => id),
      plan: calibration?.plan ?? this.base.project.calibration,
      gridId,
    };
  }

  /** Makes a stack of another scale out of one. */
  async copy(stack: StackRecord, choice: CopyChoice): Promise<void> {
    const { base, files } = this;
    const made = await base.jobs.run("stack", `Copying “${stack.name}”`, (control) =>
      copyStack({ base, files }, stack, choice, control),
    );
    if (made) this.adopt(made);
  }

  /** Goes on with a stack that was interrupted, from the strips that were finished, and then with those that wait. */
  async goOn(run: StackInWork): Promise<StackRecord | null> {
    const { made } = await this.run(run);
    if (made) await this.queue.work();
    return made;
  }

  /** Stores a stack that could not be stored before; it stays in memory where that fails again. */
  async storeUnsaved(): Promise<void> {
    const { unsaved } = this.base.now;
    if (!unsaved) return;
    try {
      await this.base.storage.addStack(unsaved.record, unsaved.pictures);
    } catch (error) {
      return this.base.report(storageFailure(error));
    }
    this.base.state.setState({ unsaved: null });
    this.adopt(unsaved.record);
    this.base.save(this.base.storage.strips(this.base.project.id).forget(null));
  }

  /** Lets a stack go that could not be stored. */
  dropUnsaved(): void {
    this.base.state.setState({ unsaved: null });
    this.base.save(this.base.storage.strips(this.base.project.id).forget(null));
  }

  /** Gives an interrupted stack up. */
  giveUp(): void {
    this.base.saveProject({ stackInWork: null });
    this.base.save(this.base.storage.strips(this.base.project.id).forget(null));
  }

  /** Leaves a stack that is being made as interrupted: called when its work ends with the page or the tab. */
  close(): void {
    this.closed = true;
  }

  select(id: string): void {
    this.base.state.setState({ currentStackId: id });
  }

  /** Gives a stack another name; one that is empty, or longer than the shelf takes, is not taken. */
  rename(id: string, name: string): void {
    if (name.trim().length > 0 && name.length <= MOST_NAME) this.change(id, { name });
  }

  /** A note of one's own on a stack. */
  annotate(id: string, note: string): void {
    this.change(id, { note });
  }

  private change(id: string, part: Partial<StackRecord>): void {
    const stacks = this.base.now.stacks.map((stack) => (stack.id === id ? { ...stack, ...part } : stack));
    this.base.state.setState({ stacks });
    const changed = stacks.find((stack) => stack.id === id);
    if (changed) this.base.save(this.base.storage.saveStack(changed));
  }

  /** Deletes a stack unless a lane still uses it, and returns what brings it back. */
  delete(id: string): () => void {
    const { board, stacks } = this.base.now;
    const lanes = board?.present.lanes.filter((lane) => lane.stackId === id) ?? [];
    if (lanes.length > 0)
      throw new UserError(
        `lanes ${lanes.map(({ letter }) => letter).join(", ")} use this stack`,
        "Remove these lanes first, or keep the stack.",
      );
    const at = stacks.findIndex((stack) => stack.id === id);
    const gone = stacks[at];
    if (!gone) return () => undefined;
    const left = stacks.filter((stack) => stack.id !== id);
    this.base.state.setState({ stacks: left, currentStackId: left[left.length - 1]?.id ?? null });
    this.base.save(this.base.storage.saveStack({ ...gone, deletedAt: Date.now() }));
    return () => {
      const { stacks: now } = this.base.now;
      if (now.some((stack) => stack.id === id)) return;
      this.base.state.setState({ stacks: [...now.slice(0, at), gone, ...now.slice(at)], currentStackId: id });
      this.base.save(this.base.storage.saveStack(gone));
    };
  }

  /** A stack as treatments need it. */
  subjectOf(stack: StackRecord): Promise<Subject> {
    const known = this.subjects.get(stack.id);
    if (known) return known;
    const opening = this.open(stack);
    this.subjects.set(stack.id, opening);
    opening.catch(() => this.subjects.delete(stack.id));
    return opening;
  }

  private async open(stack: StackRecord): Promise<Subject> {
    const { files } = this;
    const picture = await files.stack(stack, "mean");
    const halves = hasHalves(stack) ? { a: await files.stack(stack, "a"), b: await files.stack(stack, "b") } : null;
    const { fill, unit } = stack.facts;
    return { picture, halves, fill, fullScale: toSample(unit, unit.fullScale) };
  }
}
