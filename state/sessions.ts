import { createStore } from "zustand/vanilla";
import { inWords } from "@/core/job";
import { failureOf } from "@/engine/protocol";
import type { WorkerPool } from "@/engine/pool";
import type { Repository } from "@/storage";
import { createJobs } from "./jobs";
import type { Claim, Claims } from "./claims";
import { ProjectSession } from "./project";

/** Why a project is not open in this tab. */
export type Absence = "missing" | "elsewhere" | "taken" | "unreadable";

export type SessionState =
  | { session: ProjectSession }
  /** `following` is there to look at while another tab works on the project, and changes with it; `reason` says why it cannot be read. */
  | { absence: Absence; following: ProjectSession | null; reason?: string }
  | { opening: true };

/** What another tab writes in quick succession is read once. */
const READ_AFTER_MS = 300;

/**
 * The open projects of this page, each with one session, which goes on when its screen is left: an import or a stack runs to its end, and its
 * results are there when the screen is opened again. One tab at a time works on a project (claims.ts).
 */
export class Sessions {
  /** By project; what screens look at. */
  readonly store = createStore<Record<string, SessionState>>(() => ({}));
  private readonly claims = new Map<string, Claim>();
  private reading: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private readonly pool: WorkerPool,
    private readonly repository: Repository,
    private readonly tabs: Claims,
  ) {}

  /** Opens a project unless it is open here already; with `takeOver` also where another tab works on it, which then leaves it. */
  async open(projectId: string, takeOver = false): Promise<void> {
    const known = this.store.getState()[projectId];
    if (known && ("session" in known || "opening" in known)) return;
    this.set(projectId, { opening: true });
    const claim = await this.tabs.claim(projectId, takeOver, () => this.lose(projectId));
    if (!claim) return this.follow(projectId, "elsewhere");
    this.claims.set(projectId, claim);
    try {
      const session = await ProjectSession.open(projectId, this.pool, createJobs(), this.repository);
      if (session) return this.set(projectId, { session });
      this.set(projectId, { absence: "missing", following: null });
    } catch (error) {
      const { message, advice } = failureOf(error);
      this.set(projectId, { absence: "unreadable", following: null, reason: inWords(message, advice) });
    }
    this.release(projectId);
  }

  /** The session of a project, where it is open here. */
  get(projectId: string): ProjectSession | null {
    const known = this.store.getState()[projectId];
    return known && "session" in known ? known.session : null;
  }

  /** Ends a project's work and forgets it, as when it was deleted. */
  drop(projectId: string): void {
    this.get(projectId)?.close();
    this.release(projectId);
    const { [projectId]: _, ...others } = this.store.getState();
    this.store.setState(others, true);
  }

  /** Hears that another tab wrote something: what is followed here is read anew soon. */
  hear(): void {
    this.reading ??= setTimeout(() => {
      this.reading = null;
      this.readAgain().catch(() => undefined); // what could not be read stays as it was
    }, READ_AFTER_MS);
  }

  /** Writes what waits to be written, of all projects; called when the page goes away. */
  flush(): void {
    for (const state of Object.values(this.store.getState())) if ("session" in state) state.session.board.flush();
  }

  /** Whether something runs that leaving the page would end. */
  isBusy(): boolean {
    return Object.values(this.store.getState()).some((state) => "session" in state && state.session.jobs.isRunning());
  }

  close(): void {
    if (this.reading) clearTimeout(this.reading);
    for (const projectId of Object.keys(this.store.getState())) this.drop(projectId);
  }

  /** Another tab takes the project over: what waits is written, and this one lets go. */
  private lose(projectId: string): void {
    this.get(projectId)?.close();
    this.release(projectId);
    this.follow(projectId, "taken").catch(() => undefined); // the screen says that it is elsewhere
  }

  /** Shows a project that another tab works on. */
  private async follow(projectId: string, absence: Absence): Promise<void> {
    this.set(projectId, { absence, following: null });
    const following = await ProjectSession.follow(projectId, this.pool, createJobs(), this.repository).catch(
      () => null,
    );
    const now = this.store.getState()[projectId];
    if (following && now && "absence" in now && now.absence === absence) this.set(projectId, { absence, following });
  }

  private async readAgain(): Promise<void> {
    for (const [projectId, state] of Object.entries(this.store.getState())) {
      if (!("absence" in state) || !state.following) continue;
      const isThere = await state.following.readAgain().catch(() => true);
      if (!isThere && this.store.getState()[projectId] === state)
        this.set(projectId, { absence: "missing", following: null });
    }
  }

  private release(projectId: string): void {
    this.claims.get(projectId)?.release();
    this.claims.delete(projectId);
  }

  private set(projectId: string, state: SessionState): void {
    this.store.setState({ [projectId]: state });
  }
}
