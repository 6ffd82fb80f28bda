import { createNight, subFile, subFileName } from "@/core/simulate";
import { stackSettings } from "@/core/stack";
import { wasmKernels } from "@/core/testing/fixtures";
import { IDENTITY } from "@/core/register";
import type { StackInWork } from "@/storage";
import { stackPictureId } from "@/storage";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { testBench } from "./testing";

/** Stacks that wait on a list; stacks on the pixels of another's reference; deleting and bringing back. */
let bench: TestBench;
const project = newProject("Queue", false);
const night = createNight({ subs: 6, seed: 3, width: 220, height: 180 });
const kernels = wasmKernels();
const open = () => bench.open(project.id);

beforeAll(async () => {
  bench = await testBench("queue-test");
  await bench.repository.addProject(project);
  const session = await open();
  await session.subs.importFiles(
    Array.from({ length: 4 }, (_, k) => ({
      name: subFileName(k),
      load: () => Promise.resolve(new Blob([subFile(night, k, kernels) as BlobPart])),
    })),
  );
  session.close();
});
afterAll(() => bench.close());

async function run(name: string, change: Partial<StackInWork> = {}): Promise<StackInWork> {
  const { calibration } = (await bench.stored(project.id)).project;
  return { name, settings: stackSettings.parse({}), only: null, plan: calibration, gridId: null, ...change };
}

test("what waits is made one after the other, is kept with the project, and goes on after a stop", async () => {
  const session = await open();
  const { queue } = session.stacks;
  queue.add([await run("One"), await run("Two"), await run("Three"), await run("Four")]);
  const [, , third] = session.project.stackQueue;
  queue.remove(third.id);
  expect((await bench.stored(project.id)).project.stackQueue.map(({ name }) => name)).toEqual(["One", "Two", "Four"]);
  const working = queue.work();
  // A second call while it works begins nothing.
  await queue.work();
  await new Promise((resolve) => setTimeout(resolve, 20));
  session.jobs.stopAll();
  await working;
  expect(session.store.getState().stacks).toEqual([]);
  expect(session.project.stackQueue.map(({ name }) => name)).toEqual(["Two", "Four"]);
  await queue.work();
  expect(session.store.getState().stacks.map(({ name }) => name)).toEqual(["Two", "Four"]);
  expect(session.project.stackQueue).toEqual([]);
  expect(session.project.stackInWork).toBeNull();
});

test("a stack lies on the pixels of the sub that was asked for, though it does not go in; one that is gone is named", async () => {
  const session = await open();
  const { subs } = session.store.getState();
  const only = subs.slice(0, 3).map(({ id }) => id);
  const grid = subs[3];
  session.stacks.queue.add([await run("On another", { only, gridId: grid.id })]);
  await session.stacks.queue.work();
  const made = session.store.getState().stacks.at(-1);
  expect(made?.name).toBe("On another");
  expect(made?.report.subs.map(({ id }) => id)).toEqual(only);
  // None of its own subs is at rest.
  expect(made?.report.subs.every(({ toReference }) => JSON.stringify(toReference) !== JSON.stringify(IDENTITY))).toBe(
    true,
  );
  session.stacks.queue.add([await run("Nowhere", { gridId: "gone" })]);
  await session.stacks.queue.work();
  const failed = session.jobs.store.getState().jobs.find(({ error }) => error);
  expect(failed?.error?.message).toContain("is not in the project any more");
  session.jobs.dismiss(failed?.id ?? 0);
  session.stacks.queue.remove(session.project.stackQueue[0].id);
});

test("a stack that is made again by its recipe comes to the same bytes", async () => {
  const session = await open();
  const [stack] = session.store.getState().stacks;
  session.stacks.queue.add([session.stacks.recipeOf(stack)]);
  await session.stacks.queue.work();
  const again = session.store.getState().stacks.at(-1);
  expect(again?.name).toBe("Two again");
  const bytesOf = async (id = "") => {
    const blob = await bench.repository.blob(stackPictureId(id, "mean"));
    return Buffer.from(blob ? await blob.arrayBuffer() : new ArrayBuffer(0));
  };
  const [first, second] = [await bytesOf(stack.id), await bytesOf(again?.id)];
  expect(first.length).toBeGreaterThan(100_000);
  expect(second.equals(first)).toBe(true);
  session.stacks.delete(again?.id ?? "");
});

test("a deleted stack is brought back where it was; left so it is gone for good after a while; a note is kept", async () => {
  const session = await open();
  const made = session.store.getState().stacks.at(-1);
  const id = made?.id ?? "";
  session.stacks.annotate(id, "best corners");
  const names = () => session.store.getState().stacks.map(({ name }) => name);
  const before = names();
  const undo = session.stacks.delete(id);
  expect(names().length).toBe(before.length - 1);
  expect((await bench.stored(project.id)).stacks.length).toBe(before.length - 1);
  expect(await bench.repository.stackCount(project.id)).toBe(before.length - 1);
  undo();
  undo();
  expect(names()).toEqual(before);
  const again = (await bench.stored(project.id)).stacks.find((stack) => stack.id === id);
  expect([again?.note, again?.deletedAt]).toEqual(["best corners", null]);
  session.stacks.delete(id);
  const now = Date.now;
  Date.now = () => now() + 11 * 60_000;
  await open();
  Date.now = now;
  await new Promise((resolve) => setTimeout(resolve, 50));
  const { found } = await bench.repository.stacks(project.id);
  expect(found.some((stack) => stack.id === id)).toBe(false);
});

test("a stack that fails waits again, before the others", async () => {
  const session = await open();
  const { queue } = session.stacks;
  for (const { id } of session.project.stackQueue) queue.remove(id);
  queue.add([await run("Fails", { gridId: "nowhere" }), await run("Next")]);
  await queue.work();
  expect(session.project.stackQueue.map(({ name }) => name)).toEqual(["Fails", "Next"]);
  expect(session.project.stackInWork).toBeNull();
});
