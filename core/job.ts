import type { Assets } from "./assets";
import type { Kernels } from "./kernels";

/**
 * What a running computation knows of its job. `progress` reports the fraction done (0 … 1); `check` throws Stopped
 * when the job was told to stop; `breathe` does both and lets the worker take messages. Call `breathe` often enough
 * that a stop works within a second.
 */
export interface JobHandle {
  /** The hot computations, as fast as this machine runs them. */
  readonly kernels: Kernels;
  /** Files that ship with the application, loaded at their first use. */
  readonly assets: Assets;
  progress(fraction: number, label?: string): void;
  check(): void;
  breathe(): Promise<void>;
}

/** Thrown out of a computation that was told to stop. */
export class Stopped extends Error {
  constructor() {
    super("stopped");
    this.name = "Stopped";
  }
}

/** A handle that reports nowhere and never stops; without assets where none are given. */
export const quietJob = (kernels: Kernels, assets = NO_ASSETS): JobHandle => ({
  kernels,
  assets,
  progress: () => undefined,
  check: () => undefined,
  breathe: () => Promise.resolve(),
});

/** A handle for one part of a job: its 0 … 1 is `from` … `to` of the whole. */
export function partOfJob(job: JobHandle, from: number, to: number): JobHandle {
  return { ...job, progress: (fraction, label) => job.progress(from + (to - from) * fraction, label) };
}

/** The same job, of which no progress is heard: for one of many small parts. */
export const quietly = (job: JobHandle): JobHandle => ({ ...job, progress: () => undefined });

/** None are there. */
const NO_ASSETS: Assets = {
  open: ({ id }) => Promise.reject(new UserError(`the file ${id} is not there`, "Install the application again.")),
};

/** An error that a person can act on: what is wrong and what to do, in plain words. */
export class UserError extends Error {
  constructor(
    message: string,
    readonly advice: string,
  ) {
    super(message);
    this.name = "UserError";
  }
}

/** What is wrong and what to do, as sentences with one full stop each; advice that the message gives already is not said twice. */
export const inWords = (message: string, advice = ""): string =>
  advice === "" || message.includes(advice) ? message : `${message.replace(/\.$/, "")}. ${advice}`;
