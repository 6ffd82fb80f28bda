import { firstRule } from "@/core/choose";
import { gradesOf, referenceOf } from "./selectors";
import { wasmKernels } from "@/core/testing/fixtures";
import { createNight, subFile, subFileName } from "@/core/simulate";
import { stackSettings } from "@/core/stack";
import type { WorkerPool } from "@/engine/pool";
import type { Repository } from "@/storage";
import { addLane } from "./board";
import { keepRung } from "./ladder";
import type { Jobs } from "./jobs";
import { ProjectSession } from "./project";
import { KEEP_DELETED_MS, newProject, readShelf } from "./shelf";
import type { TestBench } from "./testing";
import { graded, testBench, withStorageEstimate } from "./testing";

/** The session of an open project: files, choosing, stacks, the board. */
let bench: TestBench;
let repository: Repository;
let pool: WorkerPool;
let jobs: Jobs;
const project = newProject("Weir", false);
const night = createNight({ subs: 5, seed: 3, width: 220, height: 180 });
const kernels = wasmKernels();
const sub = (index: number) => new Blob([subFile(night, index, kernels) as BlobPart]);
const incoming = (index: number) => ({ name: subFileName(index), load: () => Promise.resolve(sub(index)) });
const open = () => bench.open(project.id);

beforeAll(async () => {
  bench = await testBench("project-test");
  ({ repository, pool, jobs } = bench);
  await repository.addProject(project);
});
afterAll(() => bench.close());

test("an unknown project is not opened", async () => {
  expect(await ProjectSession.open("nowhere", pool, jobs, repository)).toBeNull();
});

test("files come in one by one; a broken one, a failing one and a double are named and the others go on", async () => {
  const session = await open();
  await session.subs.importFiles([
    incoming(0),
    { name: "bad.fits", load: () => Promise.resolve(new Blob(["SIMPLE  =  nothing".padEnd(6000)])) },
    incoming(1),
    { name: "gone.fits", load: () => Promise.reject(new Error("the disk was taken out")) },
    incoming(0),
    incoming(2),
  ]);
  const { subs, refused, currentSubId } = session.store.getState();
  expect(subs.map(({ name }) => name)).toEqual(["weir-001.fits", "weir-002.fits", "weir-003.fits"]);
  expect(refused.map(({ name }) => name)).toEqual(["bad.fits", "gone.fits", "One file"]);
  expect(refused[1].message).toContain("disk was taken out");
  expect(currentSubId).toBe(subs[0].id);
  expect(subs[0].measures.stars).toBeGreaterThan(10);
  session.subs.dismissRefused();
  expect(session.store.getState().refused).toEqual([]);
});

test("files that are chosen twice while they come in are received once, and what a page that went lacks is known", async () => {
  const other = newProject("Twice", false);
  await repository.addProject(other);
  const session = await bench.open(other.id);
  const files = () => [0, 1, 2].map((index) => incoming(index));
  await Promise.all([session.subs.importFiles(files()), session.subs.importFiles(files())]);
  const { subs, refused } = session.store.getState();
  expect(subs.map(({ name }) => name).sort()).toEqual([0, 1, 2].map(subFileName));
  const named = refused.map(({ name }) => (name === "One file" ? 1 : parseInt(name)));
  expect(named.reduce((sum, count) => sum + count, 0)).toBe(3);
  expect(session.project.importLeft).toEqual([]);
  // A page that goes in the middle of an import.
  const never = { name: "late.fits", load: () => new Promise<Blob>(() => undefined) };
  session.subs.importFiles([incoming(3), never]).catch(() => undefined);
  while (session.store.getState().subs.length < 4) await new Promise((resolve) => setTimeout(resolve, 20));
  const again = await bench.open(other.id);
  expect(again.project.importLeft).toContain("late.fits");
  again.subs.dismissWaiting();
  expect(again.project.importLeft).toEqual([]);
  for (const { id, stop } of jobs.store.getState().jobs) {
    stop();
    jobs.dismiss(id);
  }
  again.close();
  await repository.deleteProject(other.id);
});

test("a file is known by its content: renamed it is the same, another one of the same name and size is not", async () => {
  const session = await open();
  const before = session.store.getState().subs.length;
  const other = new Blob([
    subFile(createNight({ subs: 5, seed: 99, width: 220, height: 180 }), 0, kernels) as BlobPart,
  ]);
  expect(other.size).toBe(sub(0).size);
  await session.subs.importFiles([
    { name: "renamed.fits", load: () => Promise.resolve(sub(1)) },
    { name: subFileName(1), load: () => Promise.resolve(other) },
  ]);
  const { subs, refused } = session.store.getState();
  expect(subs.length).toBe(before + 1);
  expect(refused).toEqual([expect.objectContaining({ name: "One file" })]);
  session.subs.dismissRefused();
  // Removed, it can be brought back until it is forgotten.
  const added = subs[subs.length - 1];
  session.subs.remove([added.id]).undo();
  expect(session.store.getState().subs.map(({ id }) => id)).toEqual(subs.map(({ id }) => id));
  // By the list of what can be taken back too, and made again.
  session.subs.remove([added.id]);
  expect(session.subs.undo()).toBe("one sub removed");
  expect(session.store.getState().subs.map(({ id }) => id)).toEqual(subs.map(({ id }) => id));
  expect(session.subs.redo()).toBe("one sub removed");
  expect(session.store.getState().subs.length).toBe(before);
  expect(session.subs.undo()).toBe("one sub removed");
  expect(session.subs.remove([added.id]).removed).toBe(1);
  expect(session.store.getState().subs.length).toBe(before);
  expect(session.project.subCount).toBe(before);
  session.close();
  await new Promise((resolve) => setTimeout(resolve, 50));
  expect((await open()).store.getState().subs.length).toBe(before);
});

test("decisions, types, typed fields and rules are taken back and made again, what was measured meanwhile stays", async () => {
  const session = await open();
  const [first, second] = session.store.getState().subs;
  const now = (id: string) => session.store.getState().subs.find((sub) => sub.id === id);
  expect(session.subs.undo()).toBeNull();
  session.subs.decide([first.id, second.id], "reject");
  session.subs.typeIn([first.id], "filter", "Ha");
  const rule = firstRule("r", [...gradesOf(session.store.getState()).frames.values()], "fwhm");
  session.subs.previewRules([{ ...rule, on: false }]);
  session.subs.saveRules({ rules: [rule] });
  session.subs.saveRules({ referenceId: second.id });
  expect(session.subs.undo()).toBe("another reference");
  expect([session.project.referenceId, session.project.rules]).toEqual([null, [rule]]);
  expect(session.subs.undo()).toBe("a rule was changed");
  expect(session.project.rules).toEqual([]); // not the one that was dragged through
  expect(session.subs.undo()).toBe("what was typed into one sub");
  expect(now(first.id)?.metadata.filter).toBe(first.metadata.filter);
  expect(now(first.id)?.decision).toBe("reject");
  expect(session.subs.undo()).toBe("2 subs left out");
  expect([now(first.id)?.decision, now(second.id)?.decision]).toEqual([first.decision, second.decision]);
  expect((await bench.stored(project.id)).subs.find(({ id }) => id === first.id)?.decision).toBe(first.decision);
  expect(session.subs.redo()).toBe("2 subs left out");
  expect(now(second.id)?.decision).toBe("reject");
  expect(session.subs.undo()).toBe("2 subs left out");
  session.subs.decide([first.id], "keep");
  expect(session.subs.redo()).toBeNull();
  session.subs.undo();
});

test("a stop in the middle keeps what came in", async () => {
  const session = await open();
  const importing = session.subs.importFiles([
    incoming(3),
    { name: "slow.fits", load: () => new Promise<Blob>(() => undefined) },
    incoming(4),
  ]);
  while (session.store.getState().subs.length < 4) await new Promise((resolve) => setTimeout(resolve, 20));
  jobs.store.getState().jobs[0].stop();
  await importing; // a file that never comes does not hold it up
  expect(jobs.store.getState().jobs).toEqual([]);
  expect((await open()).store.getState().subs.length).toBe(4);
});

test("leaving a sub out is kept; the reference is proposed among those that are in", async () => {
  const session = await open();
  await graded(session);
  const best = referenceOf(session.store.getState());
  if (!best) throw new Error("no reference");
  expect(session.store.getState().proposal?.reasons.length).toBe(4);
  session.subs.decide([best.id], "reject");
  expect(gradesOf(session.store.getState()).verdicts.get(best.id)).toEqual({
    included: false,
    reasons: ["rejected by hand"],
  });
  await graded(session);
  expect(referenceOf(session.store.getState())?.id).not.toBe(best.id);
  expect((await open()).store.getState().subs.find(({ id }) => id === best.id)?.decision).toBe("reject");
  session.subs.decide([best.id], null);
  await graded(session);
});

test("a stack is made, kept with its halves, begins the board, and cannot be deleted while lanes use it", async () => {
  const session = await open();
  const made = await session.stacks.make("First", stackSettings.parse({}));
  if (!made) throw new Error(JSON.stringify(jobs.store.getState().jobs));
  expect(made.report.subsUsed).toBe(4);
  expect(made.object).toBe("Weir Nebula");
  expect(made.toProject).toEqual({ kind: "shift", matrix: [1, 0, 0, 0, 1, 0] });
  expect(made.facts.starList.length).toBeGreaterThan(10);
  const { board, stacks, currentStackId } = session.store.getState();
  expect(stacks.length).toBe(1);
  expect(currentStackId).toBe(made.id);
  expect(board?.present.lanes.length).toBe(4);
  const subject = await session.stacks.subjectOf(made);
  expect(subject.halves).not.toBeNull();
  const facts = await session.facts.settle(subject, board?.present.lanes[3].steps ?? []);
  expect(facts.every((ids) => Object.keys(ids).length > 0)).toBe(true);
  expect(() => session.stacks.delete(made.id)).toThrow("lanes A, B, C, D use this stack");
  session.stacks.rename(made.id, "Renamed");
  const again = (await open()).store.getState();
  expect(again.stacks[0].name).toBe("Renamed");
  session.board.flush();
});

test("a stack that was interrupted is gone on with; one that was stopped is not offered", async () => {
  const session = await open();
  const settings = stackSettings.parse({});
  const stopped = session.stacks.make("Stopped", settings);
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(session.project.stackInWork?.name).toBe("Stopped");
  session.jobs.stopAll();
  expect(await stopped).toBeNull();
  expect(session.project.stackInWork).toBeNull();
  const closed = session.stacks.make("Interrupted", settings);
  await new Promise((resolve) => setTimeout(resolve, 20));
  session.close();
  await closed;
  const again = await open();
  const { stackInWork } = again.project;
  expect(stackInWork?.name).toBe("Interrupted");
  const made = stackInWork && (await again.stacks.goOn(stackInWork));
  expect(made?.name).toBe("Interrupted");
  expect(again.project.stackInWork).toBeNull();
  again.stacks.delete(made?.id ?? "");
});

test("a stack that cannot be stored is kept, and stored once there is room", async () => {
  const session = await open();
  const { addStack } = repository;
  repository.addStack = () => Promise.reject(new DOMException("full", "QuotaExceededError"));
  const before = session.store.getState().stacks.length;
  expect(await session.stacks.make("Kept", stackSettings.parse({}))).toBeNull();
  for (const { id } of session.jobs.store.getState().jobs) session.jobs.dismiss(id);
  const { unsaved } = session.store.getState();
  expect(unsaved?.reason).toBe("the browser's storage is full");
  expect(unsaved?.pictures.mean.size).toBeGreaterThan(1000);
  await session.stacks.storeUnsaved();
  expect(session.store.getState().unsaved).not.toBeNull();
  repository.addStack = addStack;
  await session.stacks.storeUnsaved();
  const { stacks, unsaved: left } = session.store.getState();
  expect([stacks.length, stacks.at(-1)?.name, left]).toEqual([before + 1, "Kept", null]);
  session.stacks.delete(stacks.at(-1)?.id ?? "");
});

test("deleted projects make room when it is asked for, and that is said", async () => {
  const gone = newProject("Gone", false);
  await repository.addProject(gone);
  await repository.markDeleted(gone.id, true);
  const quota = async () => ((await repository.project(gone.id)).ok ? 2 ** 20 : 2 ** 33);
  const restore = withStorageEstimate(async () => ({ usage: 2 ** 19, quota: await quota() }));
  const session = await open();
  await session.subs.importFiles([incoming(4)]);
  restore();
  expect((await repository.project(gone.id)).ok).toBe(false);
  expect(session.store.getState().problems.join()).toContain("a deleted project was removed for good");
  session.subs.remove([session.store.getState().subs.at(-1)?.id ?? ""]);
  session.close();
});

test("a file on which an import was stopped after ten seconds is set aside, and the next is gone on with", async () => {
  const session = await open();
  const clock = jest.spyOn(Date, "now");
  const importing = session.subs.importFiles([
    { name: "stuck.fits", load: () => new Promise<Blob>(() => undefined) },
    { name: "next.fits", load: () => new Promise<Blob>(() => undefined) },
  ]);
  await new Promise((resolve) => setTimeout(resolve, 20));
  clock.mockReturnValue(Date.now() + 12_000);
  session.jobs.stopAll();
  await importing;
  clock.mockRestore();
  const { refused, waiting } = session.store.getState();
  expect(refused.map(({ message }) => message)).toEqual(["stuck.fits: was stopped after 12 s"]);
  expect(waiting.map(({ name }) => name)).toEqual(["next.fits"]);
  session.subs.dismissRefused();
  session.subs.dismissWaiting();
});

test("changes of the board are undone and redone, and come back with the project; facts do too", async () => {
  const session = await open();
  const lanes = () => session.store.getState().board?.present.lanes.length;
  session.board.change((board) => addLane(board, board.lanes[0].stackId));
  expect(lanes()).toBe(5);
  session.board.undo();
  expect(lanes()).toBe(4);
  session.board.redo();
  expect(lanes()).toBe(5);
  // Which panel is open and what is selected is no change: it stays as a change is taken back and made again.
  const look = () => session.store.getState().board?.present.look.side;
  session.board.amend((board) => ({ ...board, look: { ...board.look, side: "evidence" } }));
  session.board.undo();
  expect([lanes(), look()]).toEqual([4, "evidence"]);
  const { selectedLaneId, lanes: left } = session.store.getState().board?.present ?? { lanes: [] };
  expect(left.some(({ id }) => id === selectedLaneId)).toBe(true);
  session.board.redo();
  expect([lanes(), look()]).toEqual([5, "evidence"]);
  // Of a rung that was kept the value is taken back; the ladder stays closed.
  const [, lane] = session.store.getState().board?.present.lanes ?? [];
  const ladder = { laneId: lane.id, stepId: lane.steps[0].id, field: "strength", values: [0.2, 0.8], second: null };
  const strength = () => session.store.getState().board?.present.lanes[1].steps[0].params.strength;
  const before = strength();
  session.board.amend((board) => ({ ...board, ladder }));
  session.board.change((board) => keepRung(board, 0.2));
  expect(strength()).toBe(0.2);
  session.board.undo();
  expect([strength(), session.store.getState().board?.present.ladder]).toEqual([before, null]);
  session.board.amend((board) => ({ ...board, view: { ...board.view, zoom: 8 } }));
  session.board.flush();
  await new Promise((resolve) => setTimeout(resolve, 50));
  const again = await open();
  const { board, stacks } = again.store.getState();
  expect(board?.present.lanes.length).toBe(5);
  expect(board?.present.view.zoom).toBe(8);
  const known = again.facts.lookUp(await again.stacks.subjectOf(stacks[0]), board?.present.lanes[3].steps ?? []);
  expect(known).toMatchObject({ complete: true, settled: true });
});

test("a missing file is named, with what to do", async () => {
  const session = await open();
  await expect(session.files.master({ id: "no-such-id", name: "lost.fits" })).rejects.toMatchObject({
    message: expect.stringContaining("lost.fits"),
    advice: "Import the file again.",
  });
});

test("no storage left: the sub is refused in words and nothing else is harmed", async () => {
  const session = await open();
  const kept = repository.addSubs;
  repository.addSubs = () => Promise.reject(Object.assign(new Error("full"), { name: "QuotaExceededError" }));
  await session.subs.importFiles([{ name: "extra.fits", load: () => Promise.resolve(sub(4)) }]);
  repository.addSubs = kept;
  const { subs, refused, waiting } = session.store.getState();
  expect(subs.length).toBe(4);
  expect(refused).toEqual([]);
  expect(waiting.map(({ name }) => name)).toEqual(["extra.fits"]); // the import can go on from here
  const [job] = jobs.store.getState().jobs;
  expect(job.error?.message).toBe("the browser's storage is full before extra.fits");
  jobs.dismiss(job.id);
});

test("the shelf counts what a project holds, forgets deleted ones after a while, and shows the last opened first", async () => {
  const other = { ...newProject("Later", false), openedAt: Date.now() + 1e6 };
  await repository.addProject(other);
  // No sub is loaded for it: of 4000 frames that would take seconds.
  const { subs } = repository;
  repository.subs = () => Promise.reject(new Error("subs were loaded"));
  const { cards } = await readShelf(repository, Date.now());
  repository.subs = subs;
  expect(cards.map((card) => card.project.name)).toEqual(["Later", "Weir"]);
  expect(cards[1]).toMatchObject({ subs: 4, stacks: 1, integrationS: 480 });
  await repository.markDeleted(other.id, true);
  expect((await readShelf(repository, Date.now())).cards.length).toBe(1);
  await repository.markDeleted(other.id, false);
  expect((await readShelf(repository, Date.now())).cards.length).toBe(2);
  await repository.markDeleted(other.id, true);
  await readShelf(repository, Date.now() + KEEP_DELETED_MS + 1000);
  expect((await repository.project(other.id)).ok).toBe(false);
});

test("a tab that only looks on deletes nothing; one that opens the project removes old deleted stacks", async () => {
  const session = await open();
  const [stack] = session.store.getState().stacks;
  session.close();
  const old = { ...stack, id: "old", deletedAt: Date.now() - KEEP_DELETED_MS - 1000 };
  await repository.addStack(old, { mean: new Blob(["m"]) });
  const stored = async () => (await repository.stacks(project.id)).found.map(({ id }) => id);
  const following = await ProjectSession.follow(project.id, pool, jobs, repository);
  await following?.readAgain();
  expect(await stored()).toContain("old");
  following?.stacks.rename(stack.id, "by one who looks on");
  following?.board.flush();
  expect((await repository.stacks(project.id)).found.find(({ id }) => id === stack.id)?.name).toBe(stack.name);
  await open();
  expect(await stored()).not.toContain("old");
});

test("a sub that is removed while it is measured anew stays removed", async () => {
  const session = await open();
  const [{ id }] = session.store.getState().subs;
  // As if they had been measured through another calibration: all lights are measured anew.
  session.store.setState(({ subs }) => ({ subs: subs.map((sub) => ({ ...sub, measuredThrough: "another" })) }));
  expect(session.calibration.staleLights().map((light) => light.id)).toContain(id);
  const run = pool.run.bind(pool);
  pool.run = ((...given: Parameters<typeof run>) => {
    if (given[0] === "measureSub") session.subs.remove([id]);
    return run(...given);
  }) as typeof pool.run;
  await session.subs.measureAgain();
  pool.run = run;
  session.close(); // what was removed is gone for good
  await new Promise((resolve) => setTimeout(resolve, 50));
  const { found, problems } = await repository.subs(project.id);
  expect([found.map((sub) => sub.id).includes(id), problems]).toEqual([false, []]);
});

test("a grading that fails is said, once", async () => {
  const session = await open();
  const run = pool.run.bind(pool);
  pool.run = ((...given: Parameters<typeof run>) =>
    given[0] === "relate" ? Promise.reject(new Error("no room for stars")) : run(...given)) as typeof pool.run;
  const { subs } = session.store.getState();
  const next = subs.find(({ id }) => id !== referenceOf(session.store.getState())?.id);
  for (let k = 0; k < 2; k++) {
    session.subs.saveRules({ referenceId: k === 0 ? (next?.id ?? null) : subs[0].id });
    await graded(session);
  }
  pool.run = run;
  const told = session.store.getState().problems.filter((problem) => problem.includes("no room for stars"));
  expect(told.length).toBe(1);
});

test("a name that is empty or too long is not taken, neither here nor in storage", async () => {
  const session = await open();
  const [{ id, name }] = session.store.getState().stacks;
  for (const wrong of ["", "  ", "x".repeat(81)]) session.stacks.rename(id, wrong);
  const called = session.project.name;
  for (const wrong of ["", "  ", "x".repeat(81)]) session.rename(wrong);
  expect(session.project.name).toBe(called);
  session.rename(" Weir, spring ");
  expect(await repository.project(session.project.id)).toMatchObject({ value: { name: "Weir, spring" } });
  expect(session.store.getState().stacks[0].name).toBe(name);
  session.stacks.rename(id, "Another");
  expect((await bench.stored(project.id)).stacks[0].name).toBe("Another");
});
