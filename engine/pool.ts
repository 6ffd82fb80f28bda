import { LRUCache } from "lru-cache";
import { Stopped } from "@/core/job";
import type { StepFacts } from "@/core/chain";
import type { Kept, KeptFact, StepFactIds } from "./facts";
import { bytesOf, factIdsIn, FactStore } from "./facts";
import type { Reply, Request } from "./protocol";
import { JobError, reply } from "./protocol";
import type { PayloadOf, ResultOf, TaskName } from "./tasks/registry";

/** The pool's end of a line to one worker. */
export interface PoolLine {
  post(message: Request): void;
  listen(onMessage: (message: unknown) => void, onDeath: (why: string) => void): void;
  close(): void;
}

/** Lower runs first. */
export const PRIORITY = { interaction: 0, view: 1, measure: 2, batch: 3 } as const;
/** One of them, or between two. */
export type Priority = number;

export interface RunOptions {
  priority?: Priority;
  /** Jobs of the same affinity go to the worker that had the last of them, where it is free: what they share is in its cache. */
  affinity?: string;
  /** Waits for that worker even while another is free. @default false */
  waitsForIt?: boolean;
  signal?: AbortSignal;
  onProgress?: (fraction: number) => void;
  /** Called before the result comes, with the milliseconds that the worker took. */
  onTime?: (ms: number) => void;
}

interface Waiting {
  id: number;
  task: TaskName;
  payload: unknown;
  options: RunOptions;
  resolve: (value: unknown) => void;
  reject: (reason: unknown) => void;
  /** The facts that it names, so that none is forgotten while it waits. */
  facts: ReadonlyMap<string, KeptFact>;
  stop: Int32Array | null;
  /** Whether it needs large assets, which few workers hold. */
  isHeavy: boolean;
  /** Whether it was told to stop for something more urgent, to be begun again. */
  givesWay: boolean;
}

interface Member {
  line: PoolLine;
  /** Whether it said that it is there. */
  ready: boolean;
  /** How often in a row a worker died in this place before it was there. */
  deaths: number;
  index: number;
  running: Waiting | null;
  /** Ids of the facts that its worker keeps, with their bytes. */
  facts: LRUCache<string, number>;
  killTimer: ReturnType<typeof setTimeout> | null;
}

/** A worker that dies so often before it is there ends the attempt. */
const MOST_DEATHS = 2;
const START_ADVICE =
  "Reload the page. If that does not help, start the application again, and see whether the browser is up to date and may run WebAssembly and workers.";

/** More than a board of 8 × 8 cells has. */
const HOMES_KEPT = 1000;

/** Memory for facts, of the pool and of each worker. */
const FACT_BYTES = 64 * 2 ** 20;

/** So many workers, the first ones, hold large assets. */
const HEAVY_WORKERS = 2;

/** A worker that has not stopped this long after it was told to is replaced. */
const STOP_PATIENCE_MS = 800;

/**
 * A pool of workers with a queue: the most urgent job first, then the oldest. A job that is stopped, or whose worker dies,
 * always settles; a dead worker is replaced.
 */
export class WorkerPool {
  private readonly members: Member[] = [];
  private readonly queue: Waiting[] = [];
  private nextId = 1;
  private readonly facts = new FactStore(FACT_BYTES);
  /** What is kept for jobs until it is released. */
  private readonly pinned = new Map<string, KeptFact>();
  private closed = false;
  /** Which worker had the last job of an affinity. */
  private readonly homes = new LRUCache<string, number>({ max: HOMES_KEPT });
  /** Told when no worker can be started. */
  onBroken: ((error: JobError) => void) | null = null;

  /**
   * At most `batchSize` workers are given to batch jobs at a time, so that a machine of few threads still answers to
   * its user. `isHeavy`: whether a job needs large assets (engine/assets.ts).
   */
  constructor(
    readonly size: number,
    private readonly openLine: () => PoolLine,
    readonly batchSize = size,
    private readonly isHeavy: (payload: unknown) => boolean = () => false,
  ) {
    if (!(size >= 1)) throw new RangeError(`a pool needs at least one worker, received ${size}`);
    for (let index = 0; index < size; index++) this.members.push(this.start(index));
  }

  /** Runs a task in a worker. Rejects with Stopped when `signal` aborts, with JobError when the task fails. */
  run<N extends TaskName>(task: N, payload: PayloadOf<N>, options: RunOptions = {}): Promise<ResultOf<N>> {
    return new Promise((resolve, reject) => {
      if (options.signal?.aborted) return reject(new Stopped());
      if (this.closed)
        return reject(new JobError({ name: "Error", message: "the engine was closed", advice: START_ADVICE }));
      const facts = new Map<string, KeptFact>();
      for (const id of factIdsIn(payload)) {
        const kept = this.pinned.get(id) ?? this.facts.get(id);
        if (kept) facts.set(id, kept);
      }
      const onAbort = () => this.stop(waiting);
      // A signal may outlive thousands of jobs: each takes its listener away when it settles.
      const settled =
        <T>(settle: (value: T) => void) =>
        (value: T): void => {
          options.signal?.removeEventListener("abort", onAbort);
          settle(value);
        };
      const waiting: Waiting = {
        id: this.nextId++,
        task,
        payload,
        options,
        facts,
        resolve: settled(resolve as (value: unknown) => void),
        reject: settled(reject),
        stop: stopFlag(),
        isHeavy: this.isHeavy(payload),
        givesWay: false,
      };
      options.signal?.addEventListener("abort", onAbort, { once: true });
      this.queue.push(waiting);
      this.dispatch();
    });
  }

  /** Keeps a fact and gives the id by which messages name it; a worker gets it with the first job that does. */
  keep(value: unknown[]): string {
    return this.facts.keep(value);
  }

  /** Keeps a value that many jobs need, which then carry its id, however large it is; until it is released. */
  keepForJobs<T>(value: T): Kept<T> {
    const kept = `k${this.nextId++}`;
    this.pinned.set(kept, { value: [value], bytes: bytesOf(value) });
    return { kept };
  }

  /** Forgets a value that was kept for jobs, in the workers too. */
  release({ kept }: Kept<unknown>): void {
    this.pinned.delete(kept);
    for (const { facts } of this.members) facts.delete(kept);
  }

  /** The value of a fact, as long as it is kept. */
  valueOf(id: string): unknown[] | undefined {
    return this.facts.get(id)?.value;
  }

  /** The values that were kept. */
  valuesOf(ids: StepFactIds): StepFacts {
    return this.facts.valuesOf(ids);
  }

  close(): void {
    this.closed = true;
    for (const waiting of this.queue.splice(0)) waiting.reject(new Stopped());
    for (const member of this.members) {
      member.running?.reject(new Stopped());
      member.running = null;
      if (member.killTimer) clearTimeout(member.killTimer);
      member.line.close();
    }
  }

  private start(index: number, deaths = 0): Member {
    const line = this.openLine();
    const facts = new LRUCache<string, number>({
      maxSize: FACT_BYTES,
      sizeCalculation: (bytes) => bytes,
      dispose: (_bytes, id) => line.post({ kind: "forget", id }),
    });
    const member: Member = { line, ready: false, deaths, index, running: null, facts, killTimer: null };
    member.line.listen(
      (message) => this.receive(member, message),
      (why) => this.replace(member, why),
    );
    return member;
  }

  private receive(member: Member, message: unknown): void {
    const parsed = reply.safeParse(message);
    if (!parsed.success) return;
    const data: Reply = parsed.data;
    if (data.kind === "ready") {
      member.ready = true;
      member.deaths = 0;
      if (member.running?.options.signal?.aborted) this.awaitStop(member);
      return;
    }
    const job = member.running;
    if (!job || job.id !== data.id) return;
    if (data.kind === "progress") {
      job.options.onProgress?.(data.fraction);
      return;
    }
    member.running = null;
    if (member.killTimer) clearTimeout(member.killTimer);
    member.killTimer = null;
    if (data.kind === "done") {
      job.options.onTime?.(data.ms);
      job.resolve(data.result);
    } else if (data.failure.name === "Stopped" && job.givesWay && !job.options.signal?.aborted) {
      // What it made so far is in its worker's cache.
      this.queue.unshift(Object.assign(job, { id: this.nextId++, stop: stopFlag(), givesWay: false }));
    } else job.reject(data.failure.name === "Stopped" ? new Stopped() : new JobError(data.failure));
    this.dispatch();
  }

  private stop(waiting: Waiting): void {
    const at = this.queue.indexOf(waiting);
    if (at >= 0) {
      this.queue.splice(at, 1);
      waiting.reject(new Stopped());
      return;
    }
    const member = this.members.find(({ running }) => running === waiting);
    if (!member) return;
    if (waiting.stop) Atomics.store(waiting.stop, 0, 1);
    member.line.post({ kind: "stop", id: waiting.id });
    // One that is still being loaded cannot answer yet, and is no slower than the one in its place would be.
    if (member.ready) this.awaitStop(member);
  }

  /** Replaces a worker that goes on with a job that was stopped. */
  private awaitStop(member: Member): void {
    const { running } = member;
    member.killTimer = setTimeout(() => {
      if (member.running === running) this.replace(member, "stopped");
    }, STOP_PATIENCE_MS);
  }

  /** Puts a new worker in the place of a dead or stuck one; its job is rejected. */
  private replace(member: Member, why: string): void {
    if (this.closed || this.members[member.index] !== member) return;
    const job = member.running;
    member.running = null;
    if (member.killTimer) clearTimeout(member.killTimer);
    member.line.close();
    const deaths = member.ready ? 0 : member.deaths + 1;
    if (deaths >= MOST_DEATHS) return this.breakDown(why, job);
    this.members[member.index] = this.start(member.index, deaths);
    const stopped = job?.options.signal?.aborted ?? false;
    job?.reject(
      stopped
        ? new Stopped()
        : new JobError({
            name: "WorkerDied",
            message: `the computation broke off (${why})`,
            advice: "Try again; with very large pictures, close other tabs or give the stack less memory.",
          }),
    );
    this.dispatch();
  }

  /** Workers die before they are there: none is started any more, and all that waits hears of it. */
  private breakDown(why: string, job: Waiting | null): void {
    this.closed = true;
    const failed = new JobError({
      name: "EngineFailed",
      message: `the engine could not be started (${why})`,
      advice: START_ADVICE,
    });
    const waiting = [
      ...(job ? [job] : []),
      ...this.members.flatMap(({ running }) => running ?? []),
      ...this.queue.splice(0),
    ];
    for (const { line } of this.members) line.close();
    for (const each of waiting) each.reject(failed);
    this.onBroken?.(failed);
  }

  /** Where what the person does waits for a worker, measures that nobody waits for so give theirs, and are begun again later. */
  private giveWay(): void {
    const isUrgent = ({ options }: Waiting) => (options.priority ?? PRIORITY.batch) < PRIORITY.view;
    let wanted = this.queue.filter(isUrgent).length;
    for (const { running } of this.members) if (running?.givesWay) wanted--;
    for (const { running, line } of this.members) {
      if (wanted <= 0) return;
      if (!running || running.givesWay || running.options.priority !== PRIORITY.measure) continue;
      running.givesWay = true;
      if (running.stop) Atomics.store(running.stop, 0, 1);
      line.post({ kind: "stop", id: running.id });
      wanted--;
    }
  }

  /** Gives a worker the facts that a job names and that it has not. */
  private handOver({ line, facts }: Member, job: Waiting): void {
    const missing = [...job.facts].filter(([id]) => facts.get(id) === undefined);
    for (const [id, { value, bytes }] of missing) {
      // What is larger than all of that memory counts as most of it, and is kept.
      facts.set(id, Math.max(1, Math.min(bytes, FACT_BYTES / 2)));
      line.post({ kind: "keep", id, value });
    }
  }

  private dispatch(): void {
    for (;;) {
      const free = this.members.filter(({ running }) => running === null);
      if (this.queue.length === 0) return;
      if (free.length === 0) return this.giveWay();
      const priorityOf = ({ options }: Waiting) => options.priority ?? PRIORITY.batch;
      const homeOf = ({ options: { affinity } }: Waiting) =>
        affinity === undefined ? undefined : this.homes.get(affinity);
      const freeFor = ({ isHeavy }: Waiting) => (isHeavy ? free.filter(({ index }) => index < HEAVY_WORKERS) : free);
      /** Its own worker if that is free; any free one for a job that has none. */
      const memberOf = (one: Waiting) => {
        const home = homeOf(one);
        return home === undefined ? freeFor(one)[0] : freeFor(one).find(({ index }) => index === home);
      };
      const batches = this.members.filter(({ running }) => running && priorityOf(running) === PRIORITY.batch).length;
      const mayRun = (one: Waiting) =>
        freeFor(one).length > 0 &&
        (memberOf(one) !== undefined || !one.options.waitsForIt) &&
        !(priorityOf(one) === PRIORITY.batch && batches >= this.batchSize);
      const able = this.queue.filter(mayRun);
      if (able.length === 0) return;
      const most = Math.min(...able.map(priorityOf));
      const urgent = able.filter((one) => priorityOf(one) === most);
      // Of equally urgent ones first those whose worker is free.
      const next = urgent.find(memberOf) ?? urgent[0];
      this.queue.splice(this.queue.indexOf(next), 1);
      const member = memberOf(next) ?? freeFor(next)[0];
      if (next.options.affinity !== undefined) this.homes.set(next.options.affinity, member.index);
      member.running = next;
      this.handOver(member, next);
      member.line.post({ kind: "run", id: next.id, task: next.task, payload: next.payload, stop: next.stop });
    }
  }
}

const stopFlag = (): Int32Array | null =>
  typeof SharedArrayBuffer === "undefined" ? null : new Int32Array(new SharedArrayBuffer(4));
