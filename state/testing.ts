import "fake-indexeddb/auto";
import { WorkerPool } from "@/engine/pool";
import { workersInThread } from "@/engine/testing";
import { Repository } from "@/storage";
import { createJobs } from "./jobs";
import { ProjectSession } from "./project";
import type { ProjectState } from "./projectStore";

/** A bench for sessions: real storage (fake-indexeddb) and the real engine in this thread. For tests only. */
export interface TestBench {
  pool: WorkerPool;
  jobs: ReturnType<typeof createJobs>;
  repository: Repository;
  /** Files by id: the stand-in for IndexedDB cannot clone Blobs with their contents, so they are kept beside it. */
  files: Map<string, Blob>;
  /** Opens a project; the session before ends, as a page has one: two would grade and save the same subs. */
  open(projectId: string): Promise<ProjectSession>;
  /** What is stored of a project, read beside the session that is open. */
  stored(projectId: string): Promise<ProjectState>;
  close(): void;
}

export async function testBench(database: string): Promise<TestBench> {
  const workers = workersInThread();
  const pool = new WorkerPool(1, workers.open);
  const files = new Map<string, Blob>();
  const jobs = createJobs();
  const repository = await Repository.open({ onBlocked: () => undefined, onLost: () => undefined }, database);
  const addSubs = repository.addSubs.bind(repository);
  const addStack = repository.addStack.bind(repository);
  const addMaster = repository.addMaster.bind(repository);
  repository.addSubs = (records, file) => (files.set(file.id, file.blob), addSubs(records, file));
  repository.addMaster = (record, blob) => (files.set(record.id, blob), addMaster(record, blob));
  repository.addStack = (record, pictures) => {
    for (const [kind, blob] of Object.entries(pictures)) files.set(`${record.id}.${kind}`, blob);
    return addStack(record, pictures);
  };
  repository.blob = (id) => Promise.resolve(files.get(id) ?? null);
  let last: ProjectSession | null = null;
  const there = (session: ProjectSession | null) => {
    if (!session) throw new Error("the project is missing");
    return session;
  };
  return {
    pool,
    jobs,
    repository,
    files,
    open: async (projectId) => {
      last?.close();
      last = there(await ProjectSession.open(projectId, pool, jobs, repository));
      return last;
    },
    stored: async (projectId) => there(await ProjectSession.follow(projectId, pool, jobs, repository)).store.getState(),
    close: () => {
      last?.close();
      repository.close();
      workers.close();
    },
  };
}

/** Waits until grading has nothing left to do. */
export async function graded(session: ProjectSession): Promise<void> {
  await new Promise((resolve) => setTimeout(resolve, 400));
  for (let waited = 0; session.store.getState().grading !== null; waited += 50) {
    if (waited > 30_000) throw new Error("grading does not come to an end");
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Lets the browser say how much its storage holds, until the function that is given back is called. */
export function withStorageEstimate(estimate: () => Promise<{ usage: number; quota: number }>): () => void {
  const had = Object.getOwnPropertyDescriptor(globalThis, "navigator");
  Object.defineProperty(globalThis, "navigator", { configurable: true, value: { storage: { estimate } } });
  return () => {
    if (had) Object.defineProperty(globalThis, "navigator", had);
    else Reflect.deleteProperty(globalThis, "navigator");
  };
}
