import { createStore } from "zustand/vanilla";
import { Stopped } from "@/core/job";
import { failureOf } from "@/engine/protocol";

/** What a job is for, by which screens find it. */
export type JobKind =
  "demo" | "import" | "masters" | "calibrate" | "stack" | "evidence" | "sheet" | "render" | "export";

/** A running or failed piece of work as the screen shows it. */
export interface JobView {
  id: number;
  kind: JobKind;
  label: string;
  doing: string;
  fraction: number;
  startedAt: number;
  /** Seconds left; null while it is not known. */
  secondsLeft: number | null;
  error: { message: string; advice: string } | null;
  stop: () => void;
}

export interface JobControl {
  signal: AbortSignal;
  stop: () => void;
  onProgress: (fraction: number, doing?: string) => void;
}

type Work<T> = (control: JobControl) => Promise<T>;

/** What came of work, or how it ended without. */
export type Outcome<T> = { made: T } | { made: null; ended: "stopped" | "failed" };

export interface JobBoard {
  jobs: JobView[];
}

/** Time left from the time taken, if it goes on as it went; null before 3 % or half a second. */
export function secondsLeft(fraction: number, elapsedMs: number): number | null {
  if (fraction < 0.03 || elapsedMs < 500) return null;
  return ((elapsedMs / 1000) * (1 - fraction)) / fraction;
}

export function createJobs() {
  const store = createStore<JobBoard>(() => ({ jobs: [] }));
  let nextId = 1;
  const change = (id: number, part: Partial<JobView>) =>
    store.setState(({ jobs }) => ({ jobs: jobs.map((job) => (job.id === id ? { ...job, ...part } : job)) }));
  const dismiss = (id: number) => store.setState(({ jobs }) => ({ jobs: jobs.filter((job) => job.id !== id) }));

  /** Runs work that shows its progress and can be stopped; a failure stays on show. */
  async function attempt<T>(kind: JobKind, label: string, work: Work<T>): Promise<Outcome<T>> {
    const id = nextId++;
    const abort = new AbortController();
    const startedAt = Date.now();
    const stop = () => abort.abort();
    const job: JobView = {
      id,
      kind,
      label,
      doing: label,
      fraction: 0,
      startedAt,
      secondsLeft: null,
      error: null,
      stop,
    };
    store.setState(({ jobs }) => ({ jobs: [...jobs, job] }));
    try {
      const result = await work({
        signal: abort.signal,
        stop,
        onProgress: (fraction, doing) =>
          change(id, {
            fraction,
            secondsLeft: secondsLeft(fraction, Date.now() - startedAt),
            ...(doing ? { doing } : {}),
          }),
      });
      dismiss(id);
      return { made: result };
    } catch (error) {
      if (!(error instanceof Stopped) && !abort.signal.aborted) {
        change(id, { error: failureOf(error), secondsLeft: null });
        return { made: null, ended: "failed" };
      }
      dismiss(id);
      return { made: null, ended: "stopped" };
    }
  }

  /** What came of an attempt; null when it was stopped or failed. */
  const run = async <T>(kind: JobKind, label: string, work: Work<T>): Promise<T | null> =>
    (await attempt(kind, label, work)).made;

  const running = () => store.getState().jobs.filter(({ error }) => !error);
  return {
    store,
    attempt,
    run,
    dismiss,
    isRunning: () => running().length > 0,
    stopAll: () => running().forEach(({ stop }) => stop()),
  };
}
export type Jobs = ReturnType<typeof createJobs>;
