import { UserError } from "@/core/job";
import { withCalibration } from "@/engine/calibration";
import type { CalibrationRef, FrameRef } from "@/engine/frames";
import type { CalibrationPlan, MasterRecord, SubRecord } from "@/storage";
import type { LightGroup } from "./calibration";
import { calibrationOf, groupLights, keyOf, shownCalibration } from "./calibration";
import type { Files } from "./files";
import { lightsOf } from "./lights";
import { makeMasters } from "./masters";
import type { ProjectState, ProjectStore } from "./projectStore";

/** What of a project decides how its lights are calibrated. */
type StateOfLights = Pick<ProjectState, "subs" | "masters" | "project">;

/** Masters of a project, and the calibration of its lights by a plan. */
export class CalibrationBook {
  /** Files of the masters of the state: all of them, so that calibrations are made without waiting. */
  private readonly opened = new Map<string, FrameRef>();

  constructor(
    private readonly base: ProjectStore,
    private readonly files: Files,
  ) {}

  /** Lights in groups that are calibrated alike, by the project's plan or another. */
  groups(plan: CalibrationPlan = this.base.project.calibration): LightGroup[] {
    const { subs, masters } = this.base.now;
    return groupLights(subs, masters, plan);
  }

  /** The calibration of a light by a plan; null where it is used as it came. */
  of(
    sub: SubRecord,
    plan: CalibrationPlan = this.base.project.calibration,
    masters: MasterRecord[] = this.base.now.masters,
  ): CalibrationRef | null {
    const [group] = groupLights([sub], masters, plan);
    return group
      ? calibrationOf(sub, group.plan, plan.settings, (id) => {
          const opened = this.opened.get(id);
          if (!opened) throw new UserError("a master is not open yet", "Open the project again.");
          return opened;
        })
      : null;
  }

  /** A light through a plan's calibration, at full size. */
  async frame(sub: SubRecord, plan?: CalibrationPlan): Promise<FrameRef> {
    const calibration = this.of(sub, plan);
    const raw = await this.files.raw(sub);
    return calibration ? withCalibration(raw, calibration) : raw;
  }

  /** A light through the project's calibration, in the size in which it was measured. */
  async shownFrame(sub: SubRecord): Promise<FrameRef> {
    const raw = await this.files.raw(sub);
    const calibration = shownCalibration(sub, this.of(sub));
    return calibration ? withCalibration(raw, calibration) : raw;
  }

  /** Tells the pixels of `shownFrame` apart. */
  shownKey(sub: SubRecord): string {
    return `${sub.id} ${keyOf(sub, shownCalibration(sub, this.of(sub))) ?? "as it came"}`;
  }

  /** Lights whose measures were made through another calibration than the one that the project asks for now. */
  staleLights({ subs, masters, project }: StateOfLights = this.base.now): SubRecord[] {
    return lightsOf(subs).filter(
      (sub) => sub.video === null && keyOf(sub, this.of(sub, project.calibration, masters)) !== sub.measuredThrough,
    );
  }

  /** Takes masters up whose file is there; the others are named, and stay in storage. */
  async open(masters: readonly MasterRecord[]): Promise<void> {
    for (const master of masters)
      try {
        this.opened.set(master.id, await this.files.master(master));
        this.base.state.setState((state) => ({ masters: [...state.masters, master] }));
      } catch (error) {
        this.base.report(error);
      }
  }

  async makeMasters(): Promise<void> {
    const { pool, storage, jobs, now } = this.base;
    const { subs, masters, project } = now;
    await jobs.run("masters", "Making masters", (control) =>
      makeMasters(
        {
          projectId: project.id,
          pool,
          storage,
          subs,
          masters,
          plan: project.calibration,
          frameOf: (sub) => this.files.raw(sub),
          masterFrame: (master) => this.files.master(master),
        },
        control,
        (master) => this.open([master]),
      ),
    );
  }

  deleteMaster(id: string): void {
    this.base.state.setState(({ masters }) => ({ masters: masters.filter((master) => master.id !== id) }));
    this.base.save(this.base.storage.deleteMaster(id));
  }
}
