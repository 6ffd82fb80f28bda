import { createStore } from "zustand/vanilla";
import { UserError } from "@/core/job";
import type { Decision, ReferenceProposal } from "@/core/choose";
import { proposeReference } from "@/core/choose";
import type { Card, SubMetadata } from "@/core/formats";
import { withCalibration } from "@/engine/calibration";
import type { CalibrationRef, FrameRef } from "@/engine/frames";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import { failureOf } from "@/engine/protocol";
import type {
  Board,
  CalibrationPlan,
  MasterRecord,
  ProjectRecord,
  Repository,
  StackRecord,
  SubRecord,
} from "@/storage";
import type { LightGroup } from "./calibration";
import { calibrationOf, claimsOf, groupLights, keyOf, shownCalibration } from "./calibration";
import { Grading } from "./grading";
import type { History } from "./history";
import type { RefusedFile, WaitingFile } from "./importer";
import { importFiles, measuresOf } from "./importer";
import type { Jobs } from "./jobs";
import type { Grades } from "./lights";
import { exposureOf, gradeLights, lightsOf } from "./lights";
import { makeMasters } from "./masters";
import { storageFailure } from "./storageFailure";

export interface ProjectState {
  project: ProjectRecord;
  subs: SubRecord[];
  masters: MasterRecord[];
  refused: RefusedFile[];
  /** Files of an import that was stopped or met the quota: it can go on with them. */
  waiting: WaitingFile[];
  stacks: StackRecord[];
  board: History<Board> | null;
  /** What could not be read from storage or saved to it, in words. */
  problems: string[];
  currentSubId: string | null;
  /** Subs that are selected together; the current one is among them or it is empty. */
  selection: readonly string[];
  proposal: ReferenceProposal | null;
  /** Lights that are being compared with the reference: done, of how many; null when none are. */
  grading: { done: number; of: number } | null;
  currentStackId: string | null;
  /** Rises whenever whole-picture facts became known, so that views look again. */
  factRound: number;
}

/**
 * The subs of an open project: bringing them in, measuring, choosing and calibrating them. Changes are saved as they are made.
 * ProjectSession adds stacks and the board.
 */
export abstract class SubsSession {
  readonly store;
  private readonly frames = new Map<string, Promise<FrameRef>>();
  protected readonly grading: Grading;
  /** Whether a person chose the frame that is shown. */
  private went = false;
  private grades: { subs: SubRecord[]; project: ProjectRecord; value: Grades } | null = null;

  protected constructor(
    state: ProjectState,
    readonly pool: WorkerPool,
    readonly jobs: Jobs,
    protected readonly repository: Repository,
  ) {
    this.store = createStore<ProjectState>(() => state);
    this.grading = new Grading({
      pool,
      project: () => this.project,
      subs: () => this.store.getState().subs,
      replace: (changed) => this.replaceSubs(changed),
      lightFrame: (sub) => this.lightFrame(sub),
      propose: (proposal) => this.store.setState({ proposal }),
      progress: (done, of) => this.store.setState({ grading: of > 0 ? { done, of } : null }),
    });
  }

  get project(): ProjectRecord {
    return this.store.getState().project;
  }

  saveProject(part: Partial<ProjectRecord>): void {
    const project = { ...this.project, ...part };
    this.store.setState({ project });
    this.save(this.repository.saveProject(project));
    if ("referenceId" in part || "patches" in part || "rules" in part) this.grading.schedule();
  }

  /** Shows what other rules would leave, as long as a limit is dragged; saveProject keeps them. */
  previewRules(rules: ProjectRecord["rules"]): void {
    this.store.setState({ project: { ...this.project, rules } });
  }

  /** Ends what goes on in the background. */
  close(): void {
    this.grading.stop();
  }

  // — Subs —

  /** Brings files in; what is left after a stop or at the quota waits, and can go on. */
  async importFiles(files: WaitingFile[], label = "Importing"): Promise<void> {
    this.store.setState({ waiting: [] });
    await this.jobs.run("import", label, (control) =>
      importFiles(
        {
          projectId: this.project.id,
          pool: this.pool,
          repository: this.repository,
          subs: () => this.store.getState().subs,
          calibrationFor: (sub) => this.calibrationFor(sub),
          add: (added) => {
            this.store.setState((state) => ({
              subs: [...state.subs, ...added],
              currentSubId: this.currentAfter(added),
            }));
            this.grading.schedule();
          },
          refuse: (file) => this.store.setState(({ refused }) => ({ refused: [...refused, file] })),
        },
        files,
        label,
        control,
        (waiting) => this.store.setState({ waiting }),
      ),
    );
    this.noteIntegration();
  }

  /** Keeps the sum of exposures with the project, where the shelf reads it without loading the subs. */
  protected noteIntegration(): void {
    const integrationS = exposureOf(this.store.getState().subs);
    if (integrationS !== this.project.integrationS) this.saveProject({ integrationS });
  }

  dismissRefused(): void {
    this.store.setState({ refused: [] });
  }

  dismissWaiting(): void {
    this.store.setState({ waiting: [] });
  }

  /** The frame to show once these came in: the first light, unless a person went to a frame. */
  private currentAfter(added: readonly SubRecord[]): string {
    const { currentSubId, subs } = this.store.getState();
    if (currentSubId === null) return added[0].id;
    const wanted = this.went || subs.find(({ id }) => id === currentSubId)?.type === "light";
    return (wanted ? null : added.find(({ type }) => type === "light")?.id) ?? currentSubId;
  }

  selectSub(id: string, selection: readonly string[] = []): void {
    this.went = true;
    this.store.setState({ currentSubId: id, selection });
  }

  /** Measures, sets and verdicts of the lights; worked out once for each state. */
  graded(): Grades {
    const { subs, project } = this.store.getState();
    if (this.grades?.subs !== subs || this.grades.project !== project)
      this.grades = { subs, project, value: gradeLights(subs, project) };
    return this.grades.value;
  }

  includedLights(): SubRecord[] {
    const { lights, verdicts } = this.graded();
    return lights.filter(({ id }) => verdicts.get(id)?.included);
  }

  decide(ids: readonly string[], decision: Decision): void {
    this.changeSubs(ids, (sub) => ({ ...sub, decision }));
    this.grading.schedule();
  }

  /** Makes a sub the rival, the only one, or takes that back. */
  markRival(id: string): void {
    const { subs } = this.store.getState();
    this.replaceSubs(
      subs.filter((sub) => sub.id === id || sub.rival).map((sub) => ({ ...sub, rival: sub.id === id && !sub.rival })),
    );
  }

  setType(ids: readonly string[], type: SubRecord["type"]): void {
    this.changeSubs(ids, (sub) => ({ ...sub, type, metadata: { ...sub.metadata, frameType: type } }));
    this.grading.schedule();
  }

  /** Types one field of the metadata in for many subs at once. */
  typeIn<K extends keyof SubMetadata>(ids: readonly string[], field: K, value: SubMetadata[K]): void {
    this.changeSubs(ids, (sub) => ({
      ...sub,
      metadata: { ...sub.metadata, [field]: value },
      typed: [...new Set([...sub.typed, field])],
    }));
  }

  private changeSubs(ids: readonly string[], change: (sub: SubRecord) => SubRecord): void {
    const wanted = new Set(ids);
    this.replaceSubs(
      this.store
        .getState()
        .subs.filter(({ id }) => wanted.has(id))
        .map(change),
    );
  }

  private replaceSubs(changed: SubRecord[]): void {
    if (changed.length === 0) return;
    const byId = new Map(changed.map((sub) => [sub.id, sub]));
    this.store.setState(({ subs }) => ({ subs: subs.map((sub) => byId.get(sub.id) ?? sub) }));
    this.save(this.repository.saveSubs(changed));
    this.noteIntegration();
  }

  /** The stored file of a frame, for workers. */
  protected blobRef(id: string, name: string): Promise<FrameRef> {
    const known = this.frames.get(id);
    if (known) return known;
    const opening = this.repository.blob(id).then((blob): FrameRef => {
      if (!blob)
        throw new UserError(`${name}: its file is missing from the browser's storage`, "Import the file again.");
      return { id, name, kind: "blob", blob };
    });
    this.frames.set(id, opening);
    opening.catch(() => this.frames.delete(id));
    return opening;
  }

  /** A frame as it was stored, without calibration. */
  async rawFrame(sub: SubRecord): Promise<FrameRef> {
    const file = await this.blobRef(sub.fileId, sub.name);
    return { ...file, id: sub.id, fileId: `${sub.fileId} stored`, frame: sub.frame, claims: claimsOf(sub) };
  }

  masterFrame(master: Pick<MasterRecord, "id" | "name">): Promise<FrameRef> {
    return this.blobRef(master.id, master.name);
  }

  /** A light through the project's calibration, in the size in which it was measured. */
  async lightFrame(sub: SubRecord): Promise<FrameRef> {
    const raw = await this.rawFrame(sub);
    const calibration = shownCalibration(sub, this.calibrationFor(sub));
    return calibration ? withCalibration(raw, calibration) : raw;
  }

  /** Tells the pixels of `lightFrame` apart. */
  shownKey(sub: SubRecord): string {
    return `${sub.id} ${keyOf(sub, shownCalibration(sub, this.calibrationFor(sub))) ?? "as it came"}`;
  }

  /** The header of a frame's file, as it came. */
  async cards(sub: SubRecord): Promise<Card[]> {
    const kept = await this.repository.cards(sub.fileId);
    if (kept) return kept;
    return (await this.pool.run("readFile", { frame: await this.rawFrame(sub) }, { priority: PRIORITY.view })).cards;
  }

  // — Calibration —

  /** Lights in groups that are calibrated alike, by the project's plan or another. */
  lightGroups(plan: CalibrationPlan = this.project.calibration): LightGroup[] {
    const { subs, masters } = this.store.getState();
    return groupLights(subs, masters, plan);
  }

  /** The calibration of a light by a plan; null where it is used as it came. */
  calibrationFor(sub: SubRecord, plan: CalibrationPlan = this.project.calibration): CalibrationRef | null {
    const [group] = groupLights([sub], this.store.getState().masters, plan);
    return group
      ? calibrationOf(sub, group.plan, plan.settings, (id) => {
          const opened = this.openedMasters.get(id);
          if (!opened) throw new UserError("a master is not open yet", "Open the project again.");
          return opened;
        })
      : null;
  }

  /** Files of the masters of the state: all of them, so that calibrations are made without waiting. */
  private readonly openedMasters = new Map<string, FrameRef>();

  /** Takes masters up whose file is there; the others are told, and stay in storage. */
  protected async openMasters(masters: readonly MasterRecord[]): Promise<void> {
    for (const master of masters)
      try {
        this.openedMasters.set(master.id, await this.masterFrame(master));
        this.store.setState((state) => ({ masters: [...state.masters, master] }));
      } catch (error) {
        const { message, advice } = failureOf(error);
        this.store.setState(({ problems }) => ({ problems: [...problems, `${message}. ${advice}`] }));
      }
  }

  async makeMasters(): Promise<void> {
    const { subs, masters, project } = this.store.getState();
    await this.jobs.run("masters", "Making masters", (control) =>
      makeMasters(
        {
          projectId: project.id,
          pool: this.pool,
          repository: this.repository,
          ...{ subs, masters },
          plan: project.calibration,
          frameOf: (sub) => this.rawFrame(sub),
          masterFrame: (master) => this.masterFrame(master),
        },
        control,
        (master) => this.openMasters([master]),
      ),
    );
  }

  async deleteMaster(id: string): Promise<void> {
    this.store.setState(({ masters }) => ({ masters: masters.filter((master) => master.id !== id) }));
    this.save(this.repository.deleteMaster(id));
  }

  /** Lights whose measures were made through another calibration than the one that the project asks for now. */
  staleLights(): SubRecord[] {
    return lightsOf(this.store.getState().subs).filter(
      (sub) => sub.video === null && keyOf(sub, this.calibrationFor(sub)) !== sub.measuredThrough,
    );
  }

  /** Measures lights again through the project's calibration. */
  async measureAgain(): Promise<void> {
    const stale = this.staleLights();
    await this.jobs.run("calibrate", "Calibrating and measuring", async ({ signal, onProgress }) => {
      for (const [k, sub] of stale.entries()) {
        onProgress(k / stale.length, `Calibrating and measuring ${sub.name} (${k + 1} of ${stale.length})`);
        const calibration = this.calibrationFor(sub);
        const raw = await this.rawFrame(sub);
        const frame = calibration ? withCalibration(raw, calibration) : raw;
        const reading = await this.pool.run("measureSub", { frame }, { priority: PRIORITY.measure, signal });
        const now = this.store.getState().subs.find(({ id }) => id === sub.id) ?? sub;
        this.replaceSubs([
          { ...now, ...measuresOf(reading), measuredThrough: keyOf(sub, calibration), relation: null, patches: null },
        ]);
      }
    });
    this.grading.schedule();
  }

  // — Reference —

  /** The reference that counts: a person's, or the proposed one. */
  reference(): SubRecord | null {
    const { subs, project, proposal } = this.store.getState();
    const lights = lightsOf(subs);
    const proposed = proposal ?? proposeReference([...this.graded().frames.values()]);
    return lights.find(({ id }) => id === project.referenceId) ?? lights.find(({ id }) => id === proposed?.id) ?? null;
  }

  protected save(saving: Promise<unknown>): void {
    saving.catch((error: unknown) => {
      const { message, advice } = failureOf(storageFailure(error));
      this.store.setState(({ problems }) => ({ problems: [...problems, `${message}. ${advice}`] }));
    });
  }
}
