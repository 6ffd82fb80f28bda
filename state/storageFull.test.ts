import { createNight, subFile, subFileName } from "@/core/simulate";
import { stackSettings } from "@/core/stack";
import { wasmKernels } from "@/core/testing/fixtures";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { graded, testBench } from "./testing";

/** A storage that is full from some write on: each thing ends with words and a way out, what was there stays, and deleting works. */
const night = createNight({ subs: 3, seed: 4, width: 180, height: 150 });
const kernels = wasmKernels();
const incoming = [0, 1, 2].map((index) => ({
  name: subFileName(index),
  load: () => Promise.resolve(new Blob([subFile(night, index, kernels) as BlobPart])),
}));

const { put } = IDBObjectStore.prototype;
/** Writes that are still taken. */
let left = Infinity;
let bench: TestBench;
beforeAll(async () => {
  bench = await testBench("storage-full");
  IDBObjectStore.prototype.put = function (this: IDBObjectStore, ...args) {
    if (--left < 0) throw new DOMException("no room", "QuotaExceededError");
    return put.apply(this, args);
  };
});
afterAll(() => {
  IDBObjectStore.prototype.put = put;
  bench.close();
});

test.each([1, 2, 3, 5, 8, 12, 16, 20, 26, 34])("after %i writes", async (writes) => {
  const unhandled: unknown[] = [];
  const note = (reason: unknown) => unhandled.push(reason);
  process.on("unhandledRejection", note);
  const project = newProject("Weir", false);
  await bench.repository.addProject(project);
  left = writes;
  const session = await bench.open(project.id);
  await session.subs.importFiles(incoming);
  const { subs, waiting, refused } = session.store.getState();
  // Each file came in, or waits to go on with.
  expect(subs.length + waiting.length).toBe(incoming.length);
  expect(refused).toEqual([]);
  await graded(session);
  if (subs.length > 1) {
    const made = await session.stacks.make("Kept", stackSettings.parse({}));
    const { stacks, unsaved } = session.store.getState();
    // The stack is stored, kept in memory to be stored again, or its job says why it was not made.
    const reason = bench.jobs.store.getState().jobs.find(({ error }) => error)?.error?.message ?? "";
    expect(made !== null || unsaved !== null || reason !== "").toBe(true);
    expect(stacks.length).toBe(made ? 1 : 0);
  }
  for (const { id, error } of bench.jobs.store.getState().jobs) {
    if (error) {
      expect(error.message).toMatch(/storage is full/);
      expect(error.advice).toMatch(/[Dd]elete projects/);
    }
    bench.jobs.dismiss(id);
  }
  left = 0;
  session.close();
  await bench.repository.markDeleted(project.id, true);
  left = Infinity;
  expect((await bench.repository.projects()).found.filter(({ deletedAt }) => deletedAt === null)).toEqual([]);
  await new Promise((resolve) => setTimeout(resolve, 0));
  process.off("unhandledRejection", note);
  expect(unhandled).toEqual([]);
});
