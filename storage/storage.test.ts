import "fake-indexeddb/auto";
import type { FactRecord, SubRecord } from "./index";
import { Repository, stackPictureId } from "./index";
import { chainRecord, inOrder, RECORD_VERSION } from "./records";
import { project, stack, sub } from "./testing";

let count = 0;
/** A repository with a project p in it. */
async function openRepository(): Promise<Repository> {
  const repository = await Repository.open(SILENT, `test-${count++}`);
  await repository.addProject(project);
  return repository;
}
const SILENT = { onBlocked: () => undefined, onLost: () => undefined };
const fileOf = ({ id, projectId }: SubRecord, text: string) => ({ id, projectId, blob: new Blob([text]) });
const add = (repository: Repository, record: SubRecord, text = "") =>
  repository.addSubs([record], fileOf(record, text));

test("projects, subs with their files and stacks with their pictures come back as they were", async () => {
  const repository = await openRepository();
  await add(repository, sub("b", 2), "bbb");
  await add(repository, sub("a", 1), "aaa");
  const blobs = { mean: new Blob(["m"]), a: new Blob(["x"]), b: new Blob(["y"]), coverage: new Blob(["c"]) };
  await repository.addStack(stack("s"), blobs);
  expect(await repository.project("p")).toEqual({ ok: true, value: project });
  expect(await repository.project("other")).toMatchObject({ ok: false, reason: { why: "missing" } });
  expect((await repository.subs("p")).found.map(({ id }) => id)).toEqual(["a", "b"]);
  expect((await repository.stacks("p")).found).toEqual([stack("s")]);
  expect(await repository.blob("a")).not.toBeNull();
  expect(await repository.blob(stackPictureId("s", "coverage"))).not.toBeNull();
  await repository.deleteStack("s");
  expect((await repository.stacks("p")).found).toEqual([]);
  expect(await repository.blob(stackPictureId("s", "mean"))).toBeNull();
  repository.close();
});

test("deleting a project removes all that belongs to it and nothing else", async () => {
  const repository = await openRepository();
  await repository.addProject({ ...project, id: "q" });
  await add(repository, sub("a", 1), "aaa");
  await add(repository, { ...sub("z", 1), projectId: "q" }, "zzz");
  await repository.saveFact({ version: RECORD_VERSION, id: "p:k", projectId: "p", value: [{ a: 1 }], usedAt: 0 });
  await repository.deleteProject("p");
  expect((await repository.projects()).found.map(({ id }) => id)).toEqual(["q"]);
  expect(await repository.blob("a")).toBeNull();
  expect((await repository.facts("p")).found).toEqual([]);
  expect(await repository.blob("z")).not.toBeNull();
  repository.close();
});

test("kept chains outlive their project, the last one first, until they are forgotten", async () => {
  const repository = await openRepository();
  const step = {
    operation: "noise.mixture",
    version: 1,
    params: {},
    channels: "together",
    blend: 1,
    on: true,
  } as const;
  const chain = (name: string, keptAt: number) =>
    chainRecord.parse({ version: RECORD_VERSION, id: name, name, keptAt, steps: [step] });
  await repository.keepChain(chain("first", 1));
  await repository.keepChain(chain("second", 2));
  await repository.deleteProject("p");
  const kept = async () => (await repository.chains()).found;
  expect((await kept()).map(({ name }) => name)).toEqual(["second", "first"]);
  expect((await kept())[0].steps[0].operation).toBe("noise.mixture");
  await repository.dropChain("second");
  expect((await kept()).map(({ name }) => name)).toEqual(["first"]);
});

test("a damaged record is reported by field and left where it is; the others are read", async () => {
  const repository = await openRepository();
  await add(repository, sub("good", 1));
  await add(repository, { ...sub("bad", 2), width: "wide" as unknown as number });
  const { found, problems } = await repository.subs("p");
  expect(found.map(({ id }) => id)).toEqual(["good"]);
  expect(problems).toEqual([expect.stringContaining("subs record bad: width")]);
  expect((await repository.subs("p")).problems.length).toBe(1);
  repository.close();
});

test("a database of the first version gains its new stores and keeps what it holds", async () => {
  const { openDB } = await import("idb");
  const name = `old-${count++}`;
  const first = await openDB(name, 1, {
    upgrade(database) {
      database.createObjectStore("projects", { keyPath: "id" });
      for (const store of ["subs", "stacks", "boards", "contexts", "blobs"])
        database.createObjectStore(store, { keyPath: "id" }).createIndex("project", "projectId");
    },
  });
  await first.put("projects", { ...project, version: 1 });
  first.close();
  const repository = await Repository.open(SILENT, name);
  expect(await repository.project("p")).toEqual({ ok: true, value: project });
  expect((await repository.masters("p")).found).toEqual([]);
  repository.close();
});

test("a video is one record; single frames that change lie beside it, many make it anew, and all come back as they are", async () => {
  const repository = await openRepository();
  const frames = Array.from({ length: 200 }, (_, k) => ({
    ...sub(`v ${k}`, k),
    fileId: "v",
    frame: k,
    measures: { ...sub("v", 0).measures, background: [0.1 + k / 1000] },
  }));
  await repository.addSubs(frames, { id: "v", projectId: "p", blob: new Blob(["video"]) });
  await add(repository, sub("still", 500));
  const read = async () => (await repository.subs("p")).found;
  expect(await read()).toEqual([...frames, sub("still", 500)]);
  const rejected = { ...frames[7], decision: "reject" as const };
  await repository.saveSubs([rejected, { ...sub("still", 500), rival: true }]);
  expect((await read())[7]).toEqual(rejected);
  expect((await read()).length).toBe(201);
  // Half of them change: the record is written anew, and holds what was beside it as well.
  const moved = frames.slice(100).map((frame) => ({ ...frame, patches: { key: "k", levels: [0.5] } }));
  await repository.saveSubs(moved);
  const now = await read();
  expect(now[7]).toEqual(rejected);
  expect(now.slice(100, 200)).toEqual(moved);
  expect(now[200].rival).toBe(true);
  const all = now.slice(0, 200).map((frame) => ({ ...frame, decision: "keep" as const }));
  await repository.saveSubs(all);
  expect((await read()).slice(0, 200)).toEqual(all);
  await repository.deleteProject("p");
  expect(await read()).toEqual([]);
  repository.close();
});

test("no NaN and no infinity is stored: the record is refused with the place, and nothing of it is kept", async () => {
  const repository = await openRepository();
  const broken = { ...sub("nan", 1), measures: { ...sub("nan", 1).measures, noise: [0.1, NaN] } };
  await expect(add(repository, broken)).rejects.toThrow("nan.fits: measures.noise.1 came to no number");
  expect((await repository.subs("p")).found).toEqual([]);
  expect(await repository.blob("nan")).toBeNull();
  const stacked = { ...stack("s"), facts: { ...stack("s").facts, skyLevel: Infinity } };
  const pictures = { mean: new Blob([]), a: new Blob([]), b: new Blob([]), coverage: new Blob([]) };
  await expect(repository.addStack(stacked, pictures)).rejects.toThrow("s: facts.skyLevel came to no number");
  expect((await repository.stacks("p")).found).toEqual([]);
  repository.close();
});

test("what cannot be read can be removed with its file; what a newer version wrote stays", async () => {
  const repository = await openRepository();
  await add(repository, sub("good", 1));
  await add(repository, sub("bad", 2));
  await add(repository, sub("newer", 3));
  await repository.saveSubs([{ ...sub("bad", 2), width: "wide" as unknown as number }]);
  await repository.saveSubs([{ ...sub("newer", 3), version: 99 as typeof RECORD_VERSION }]);
  expect(await repository.removeDamaged("p")).toBe(1);
  const { found, problems } = await repository.subs("p");
  expect([found.map(({ id }) => id), problems.length]).toEqual([["good"], 1]);
  expect(await repository.blob("bad")).toBeNull();
  expect(await repository.blob("newer")).not.toBeNull();
  repository.close();
});

test("strips wait by stack and row, one stack of a project at a time, and go with the project", async () => {
  const repository = await openRepository();
  const strips = repository.strips("p");
  const strip = { samples: 9, rejected: 1, peakBytes: 100, planeBytes: 4, planes: [Uint8Array.of(120)] };
  await strips.save("one", 0, strip);
  await strips.save("one", 64, strip);
  await repository.addProject({ ...project, id: "other" });
  await repository.strips("other").save("one", 0, strip);
  expect(await strips.load("one", 64)).toMatchObject({ samples: 9, planeBytes: 4 });
  expect(await strips.load("two", 64)).toBeNull();
  await strips.forget("two");
  expect(await strips.load("one", 0)).toBeNull();
  expect(await repository.strips("other").load("one", 0)).not.toBeNull();
  await repository.deleteProject("other");
  expect(await repository.strips("other").load("one", 0)).toBeNull();
  repository.close();
});

test("what was removed is not brought back by a save that comes after: subs, frames of a video, stacks", async () => {
  const repository = await openRepository();
  const frames = [0, 1, 2].map((k) => ({ ...sub(`v ${k}`, k), fileId: "v", frame: k }));
  await repository.addSubs(frames, { id: "v", projectId: "p", blob: new Blob(["video"]) });
  await add(repository, sub("a", 5));
  await repository.removeSubs([...frames, sub("a", 5)]);
  await repository.saveSubs([
    { ...sub("a", 5), rival: true },
    { ...frames[1], rival: true },
  ]);
  expect(await repository.subs("p")).toEqual({ found: [], problems: [] });
  await repository.addStack(stack("s"), { mean: new Blob(["m"]) });
  await repository.deleteStack("s");
  await repository.saveStack({ ...stack("s"), note: "late" });
  expect((await repository.stacks("p")).found).toEqual([]);
  repository.close();
});

test("a project that is gone for good takes nothing any more", async () => {
  const repository = await openRepository();
  const late: FactRecord = { version: RECORD_VERSION, id: "p:k", projectId: "p", value: [1], usedAt: 0 };
  await repository.deleteProject("p");
  await expect(add(repository, sub("a", 1))).rejects.toThrow("was deleted meanwhile");
  await expect(repository.addStack(stack("s"), { mean: new Blob(["m"]) })).rejects.toThrow("was deleted meanwhile");
  await repository.saveFact(late);
  await repository.saveBoard({ version: RECORD_VERSION, id: "p", projectId: "p", board: {} as never });
  await repository.strips("p").save("one", 0, { samples: 9, rejected: 1, peakBytes: 1, planeBytes: 4, planes: [] });
  expect(await repository.blob("a")).toBeNull();
  expect((await repository.facts("p")).found).toEqual([]);
  expect((await repository.board("p")).found).toBeNull();
  expect(await repository.strips("p").load("one", 0)).toBeNull();
  repository.close();
});

test("a video of which only some frames are named keeps the others and its file", async () => {
  const repository = await openRepository();
  const frames = [0, 1, 2].map((k) => ({ ...sub(`v ${k}`, k), fileId: "v", frame: k }));
  await repository.addSubs(frames, { id: "v", projectId: "p", blob: new Blob(["video"]) });
  await repository.removeSubs([frames[1]]);
  expect((await repository.subs("p")).found).toEqual([frames[0], frames[2]]);
  expect(await repository.blob("v")).not.toBeNull();
  await repository.removeSubs([frames[0], frames[2]]);
  expect(await repository.blob("v")).toBeNull();
  repository.close();
});

test("a project, facts and chains of a newer version are said to be so", async () => {
  const repository = await openRepository();
  const newer = { version: 99 as typeof RECORD_VERSION };
  await repository.addProject({ ...project, ...newer, id: "n" });
  expect(await repository.project("n")).toMatchObject({ ok: false, reason: { why: "newer" } });
  await repository.saveFact({ ...newer, id: "p:k", projectId: "p", value: [1], usedAt: 0 });
  expect((await repository.facts("p")).problems).toEqual([expect.stringContaining("facts record of version 99")]);
  await repository.keepChain({ ...newer, id: "c", name: "c", keptAt: 1, steps: [] });
  expect((await repository.chains()).problems).toEqual([expect.stringContaining("chains record of version 99")]);
  repository.close();
});

describe("a storage that takes nothing more", () => {
  const { put, delete: remove } = IDBObjectStore.prototype;
  let isFull = false;
  beforeEach(() => {
    isFull = true;
    IDBObjectStore.prototype.put = function (this: IDBObjectStore, ...args) {
      if (isFull) throw new DOMException("no room", "QuotaExceededError");
      return put.apply(this, args);
    };
  });
  afterEach(() => {
    IDBObjectStore.prototype.put = put;
    IDBObjectStore.prototype.delete = remove;
  });

  test("a project that is deleted there is removed for good, with all that belongs to it", async () => {
    isFull = false;
    const repository = await openRepository();
    await add(repository, sub("a", 1), "aaa");
    isFull = true;
    expect(await repository.markDeleted("p", true)).toBe("removed");
    expect((await repository.projects()).found).toEqual([]);
    expect(await repository.blob("a")).toBeNull();
    repository.close();
  });

  test("older deleted projects give their room first, and this one can still be brought back", async () => {
    isFull = false;
    const repository = await openRepository();
    await repository.addProject({ ...project, id: "old", deletedAt: 1 });
    isFull = true;
    IDBObjectStore.prototype.delete = function (this: IDBObjectStore, key) {
      isFull = false;
      return remove.call(this, key);
    };
    expect(await repository.markDeleted("p", true)).toBe("marked");
    expect((await repository.projects()).found.map(({ id }) => id)).toEqual(["p"]);
    await repository.markDeleted("p", false);
    expect((await repository.projects()).found[0].deletedAt).toBeNull();
    repository.close();
  });
});

test("files come in the order in which they were chosen, frames of a video as they follow one another", () => {
  const frame = (index: number) => ({ ...sub(`v ${index}`, 2), fileId: "v", frame: index });
  const others = [sub("a", 1), { ...sub("w", 2), fileId: "w" }, sub("z", 3)];
  const ordered = [others[0], frame(0), frame(2), frame(10), others[1], others[2]];
  for (const mixed of [[...ordered].reverse(), [3, 0, 5, 1, 4, 2].map((k) => ordered[k])])
    expect(mixed.sort(inOrder).map(({ id }) => id)).toEqual(ordered.map(({ id }) => id));
});
