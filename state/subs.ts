import type { Decision } from "@/core/choose";
import type { SubMetadata } from "@/core/formats";
import { withCalibration } from "@/engine/calibration";
import { PRIORITY } from "@/engine/pool";
import type { ProjectRecord, SubRecord } from "@/storage";
import { inOrder } from "@/storage";
import { keyOf } from "./calibration";
import type { CalibrationBook } from "./calibrationBook";
import type { Files } from "./files";
import { Grading } from "./grading";
import type { WaitingFile } from "./importer";
import { importFiles, measuresOf } from "./importer";
import { exposureOf } from "./lights";
import type { ProjectStore } from "./projectStore";
import type { Undoable } from "./undoList";
import { UndoList } from "./undoList";

/** How long subs that were removed can be brought back. */
export const UNDO_MS = 12_000;

/** How subs are chosen and judged. */
type HowJudged = Pick<ProjectRecord, "rules" | "referenceId" | "patches">;

const countOf = (ids: readonly string[]): string => (ids.length === 1 ? "one sub" : `${ids.length} subs`);

/** After so many files it is written down which are left: a page that goes says no more. */
const NOTED_EVERY = 10;

/** The subs of a project: bringing them in, measuring and choosing them. Changes are saved as they are made. */
export class SubsBook {
  private readonly grading: Grading;
  /** Whether a person chose the frame that is shown. */
  private went = false;
  /** Subs that were removed and can still be brought back. */
  private readonly leaving = new Set<{ forget: () => void }>();
  private readonly undone = new UndoList();
  /** The rules as they were before a limit was dragged. */
  private unpreviewed: ProjectRecord["rules"] | null = null;
  /** Hashes of files that are being received. */
  private readonly receiving = new Set<string>();
  /** By import, the files that it has not received. */
  private readonly left = new Map<object, readonly WaitingFile[]>();

  constructor(
    private readonly base: ProjectStore,
    private readonly files: Files,
    private readonly calibration: CalibrationBook,
  ) {
    const { state } = base;
    this.grading = new Grading({
      pool: base.pool,
      project: () => base.project,
      subs: () => base.now.subs,
      replace: (changed) => this.replace(changed),
      lightFrame: (sub) => calibration.shownFrame(sub),
      propose: (proposal) => state.setState({ proposal }),
      progress: (done, of) => state.setState({ grading: of > 0 ? { done, of } : null }),
      fail: (error) => base.report(error),
    });
  }

  /** Brings relations, the proposed reference and patches up to date soon. */
  grade(): void {
    this.grading.schedule();
  }

  /** Ends what goes on in the background; what was removed is gone for good. */
  close(): void {
    for (const { forget } of [...this.leaving]) forget();
    this.grading.stop();
  }

  /** Changes how subs are chosen and judged. */
  saveRules(part: Partial<HowJudged>): void {
    const before = { ...this.judgedBy(part), ...(part.rules && this.unpreviewed ? { rules: this.unpreviewed } : {}) };
    this.unpreviewed = null;
    const [name] = Object.keys(part) as (keyof HowJudged)[];
    const words = { rules: "a rule was changed", referenceId: "another reference", patches: "sky patches were moved" };
    this.undone.note(this.judgedAs(before, words[name]), name);
    this.judge(part);
  }

  private judge(part: Partial<HowJudged>): void {
    this.base.saveProject(part);
    this.grade();
  }

  /** What the project has of what a part names. */
  private judgedBy(part: Partial<HowJudged>): Partial<HowJudged> {
    const names = Object.keys(part) as (keyof HowJudged)[];
    return Object.fromEntries(names.map((name) => [name, this.base.project[name]]));
  }

  private judgedAs(before: Partial<HowJudged>, words: string): Undoable {
    return {
      words,
      undo: () => {
        const now = this.judgedBy(before);
        this.judge(before);
        return this.judgedAs(now, words);
      },
    };
  }

  /** Shows what other rules would leave, as long as a limit is dragged; saveRules keeps them. */
  previewRules(rules: ProjectRecord["rules"]): void {
    this.unpreviewed ??= this.base.project.rules;
    this.base.state.setState({ project: { ...this.base.project, rules } });
  }

  /** Brings files in; what is left after a stop or at the quota waits, and can go on. */
  async importFiles(files: WaitingFile[], label = "Importing"): Promise<void> {
    const { state, jobs, pool, stored, storage, project } = this.base;
    state.setState({ waiting: [] });
    const isLeft = (left: readonly WaitingFile[]) => this.noteLeft(files, left);
    let left = files;
    // Files that waited are received now.
    const taken = new Set(files);
    for (const [of, waiting] of this.left)
      this.left.set(
        of,
        waiting.filter((file) => !taken.has(file)),
      );
    isLeft(left);
    await jobs.run("import", label, (control) =>
      importFiles(
        {
          projectId: project.id,
          pool,
          stored,
          storage,
          subs: () => this.base.now.subs,
          receiving: this.receiving,
          calibrationFor: (sub) => this.calibration.of(sub),
          add: (added) => {
            state.setState(({ subs }) => ({
              subs: [...subs, ...added].sort(inOrder),
              currentSubId: this.currentAfter(added),
            }));
            this.grade();
          },
          report: (words) => state.setState(({ problems }) => ({ problems: [...problems, words] })),
          addMaster: (master) => this.calibration.open([master]),
          find: (file) => state.setState(({ found }) => ({ found: [...found, file] })),
          refuse: (file) => state.setState(({ refused }) => ({ refused: [...refused, file] })),
        },
        files,
        label,
        control,
        (now, isEnd) => {
          left = now;
          if (isEnd) state.setState({ waiting: now });
          else if (now.length % NOTED_EVERY === 0) isLeft(now);
        },
      ),
    );
    isLeft(left);
    this.noteSums();
  }

  /** Keeps the names of what was chosen and did not come in, so that they are known after a reload too. */
  private noteLeft(of: readonly WaitingFile[], left: readonly WaitingFile[]): void {
    this.left.set(of, left);
    this.base.saveProject({ importLeft: [...this.left.values()].flatMap((files) => files.map(({ name }) => name)) });
  }

  /** Keeps number and exposure of the subs with the project, where the shelf reads them without loading the subs. */
  noteSums(): void {
    const { subs, project } = this.base.now;
    const integrationS = exposureOf(subs);
    if (integrationS !== project.integrationS || subs.length !== project.subCount)
      this.base.saveProject({ integrationS, subCount: subs.length });
  }

  dismissRefused(): void {
    this.base.state.setState({ refused: [] });
  }

  /** Forgets files that wait, or that an import which was cut short still lacks. */
  dismissWaiting(): void {
    this.base.state.setState({ waiting: [] });
    this.left.clear();
    this.base.saveProject({ importLeft: [] });
  }

  /** The frame to show once these came in: the first light, unless a person went to a frame. */
  private currentAfter(added: readonly SubRecord[]): string {
    const { currentSubId, subs } = this.base.now;
    if (currentSubId === null) return added[0].id;
    const [current, light] = [subs.find(({ id }) => id === currentSubId), added.find(({ type }) => type === "light")];
    if (this.went || !light) return currentSubId;
    // Files come as they are measured: the first light may be among the last.
    return current?.type === "light" && inOrder(current, light) < 0 ? currentSubId : light.id;
  }

  select(id: string, selection: readonly string[] = []): void {
    this.went = true;
    this.base.state.setState({ currentSubId: id, selection });
  }

  decide(ids: readonly string[], decision: Decision): void {
    const what = { reject: "left out", keep: "taken in", rules: "left to the rules" }[decision ?? "rules"];
    this.change(ids, (sub) => ({ ...sub, decision }), `${countOf(ids)} ${what}`);
  }

  /** Makes a sub the rival, the only one, or takes that back. */
  markRival(id: string): void {
    const concerned = this.base.now.subs.filter((sub) => sub.id === id || sub.rival).map((sub) => sub.id);
    this.change(concerned, (sub) => ({ ...sub, rival: sub.id === id && !sub.rival }), "another rival");
  }

  setType(ids: readonly string[], type: SubRecord["type"]): void {
    const words = `${countOf(ids)} called ${type}`;
    this.change(ids, (sub) => ({ ...sub, type, metadata: { ...sub.metadata, frameType: type } }), words);
  }

  /** Types one field of the metadata in for many subs at once. */
  typeIn<K extends keyof SubMetadata>(ids: readonly string[], field: K, value: SubMetadata[K]): void {
    this.change(
      ids,
      (sub) => ({
        ...sub,
        metadata: { ...sub.metadata, [field]: value },
        typed: [...new Set([...sub.typed, field])],
      }),
      `what was typed into ${countOf(ids)}`,
    );
  }

  /** Measures lights again through the project's calibration. */
  async measureAgain(): Promise<void> {
    const { jobs, pool } = this.base;
    const stale = this.calibration.staleLights();
    await jobs.run("calibrate", "Calibrating and measuring", async ({ signal, onProgress }) => {
      for (const [k, sub] of stale.entries()) {
        onProgress(k / stale.length, `Calibrating and measuring ${sub.name} (${k + 1} of ${stale.length})`);
        const calibration = this.calibration.of(sub);
        const raw = await this.files.raw(sub);
        const frame = calibration ? withCalibration(raw, calibration) : raw;
        const reading = await pool.run("measureSub", { frame }, { priority: PRIORITY.measure, signal });
        const now = this.base.now.subs.find(({ id }) => id === sub.id);
        // Removed meanwhile, it stays removed.
        if (!now) continue;
        this.replace([
          { ...now, ...measuresOf(reading), measuredThrough: keyOf(sub, calibration), relation: null, patches: null },
        ]);
      }
    });
    this.grade();
  }

  /**
   * Takes subs out of the project, with their files; a frame of a video with all of it. For twelve seconds they can be taken back;
   * nothing is removed from storage before.
   */
  remove(ids: readonly string[]): { removed: number; undo: () => void } {
    const { removed, change } = this.takeOut(ids);
    if (removed > 0) this.undone.note(change);
    return {
      removed,
      undo: () => {
        this.undone.drop(change);
        change.undo();
      },
    };
  }

  private takeOut(ids: readonly string[]): { removed: number; change: Undoable } {
    const wanted = new Set(ids);
    const { subs, currentSubId } = this.base.now;
    const files = new Set(subs.filter(({ id }) => wanted.has(id)).map(({ fileId }) => fileId));
    const removed = subs.filter(({ fileId }) => files.has(fileId));
    const left = subs.filter(({ fileId }) => !files.has(fileId));
    const next = left.find(({ order }) => order > (removed[0]?.order ?? 0)) ?? left.at(-1);
    this.base.state.setState({
      subs: left,
      selection: [],
      currentSubId: left.some(({ id }) => id === currentSubId) ? currentSubId : (next?.id ?? null),
    });
    this.noteSums();
    this.grade();
    const timer = setTimeout(forget, UNDO_MS);
    const pending = { forget };
    this.leaving.add(pending);
    const { base, leaving, undone } = this;
    const words = `${countOf(removed.map(({ id }) => id))} removed`;
    const again: Undoable = { words, undo: () => this.takeOut(ids).change };
    const change: Undoable = {
      words,
      undo: () => {
        clearTimeout(timer);
        if (!this.leaving.delete(pending)) return again;
        const all = [...this.base.now.subs, ...removed].sort(inOrder);
        this.base.state.setState({ subs: all, currentSubId: removed[0]?.id ?? null });
        this.noteSums();
        this.grade();
        return again;
      },
    };
    function forget(): void {
      clearTimeout(timer);
      undone.drop(change);
      if (leaving.delete(pending)) base.save(base.storage.removeSubs(removed));
    }
    return { removed: removed.length, change };
  }

  /** Takes the last change of subs or of how they are chosen back; what it was, in words, or null where there is none. */
  undo(): string | null {
    return this.undone.undo();
  }

  /** Makes again what was taken back last; what it is, or null. */
  redo(): string | null {
    return this.undone.redo();
  }

  /** Changes what a person may say of subs, so that it can be taken back. */
  private change(ids: readonly string[], change: (sub: SubRecord) => SubRecord, words: string): void {
    const wanted = new Set(ids);
    const before = this.base.now.subs.filter(({ id }) => wanted.has(id));
    if (before.length === 0) return;
    this.undone.note(this.saidAs(before, words));
    this.replace(before.map(change));
    this.grade();
  }

  /** What a person said of subs; what was measured meanwhile stays, and what was removed does not come back. */
  private saidAs(before: readonly SubRecord[], words: string): Undoable {
    return {
      words,
      undo: () => {
        const byId = new Map(before.map((sub) => [sub.id, sub]));
        const now = this.base.now.subs.filter(({ id }) => byId.has(id));
        this.replace(
          now.map((sub) => {
            const { decision, rival, type, metadata, typed } = byId.get(sub.id) ?? sub;
            return { ...sub, decision, rival, type, metadata, typed };
          }),
        );
        this.grade();
        return this.saidAs(now, words);
      },
    };
  }

  private replace(changed: SubRecord[]): void {
    const { subs } = this.base.now;
    const byId = new Map(changed.map((sub) => [sub.id, sub]));
    const there = subs.flatMap(({ id }) => byId.get(id) ?? []);
    if (there.length === 0) return;
    this.base.state.setState({ subs: subs.map((sub) => byId.get(sub.id) ?? sub) });
    this.base.save(this.base.storage.saveSubs(there));
    this.noteSums();
  }
}
