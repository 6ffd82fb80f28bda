import { NO_METADATA } from "@/core/formats";
import "fake-indexeddb/auto";
import { pictureFacts } from "@/core/compare";
import { stackReport, stackSettings } from "@/core/stack";
import { readRecord } from "./migrations";
import type { StackRecord, SubRecord } from "./index";
import { Repository, stackPictureId } from "./index";
import { SIXTEEN_BITS } from "@/core/testing/fixtures";
import { RECORD_VERSION, chainRecord, projectRecord, stackRecord, subRecord } from "./records";

let count = 0;
const openRepository = () =>
  Repository.open({ onBlocked: () => undefined, onLost: () => undefined }, `test-${count++}`);
const project = projectRecord.parse({
  version: RECORD_VERSION,
  id: "p",
  name: "Weir",
  createdAt: 1,
  openedAt: 2,
  demo: false,
  deletedAt: null,
  thumbnail: null,
  referenceId: null,
  stage: "subs",
});

const sub = (id: string, order: number): SubRecord => ({
  version: RECORD_VERSION,
  id,
  projectId: "p",
  name: `${id}.fits`,
  order,
  type: "light",
  fileId: id,
  frame: 0,
  timeMs: null,
  decision: null,
  rival: false,
  format: "fits",
  bytes: 3,
  hash: null,
  width: 10,
  height: 10,
  channels: 3,
  bitpix: 16,
  unit: SIXTEEN_BITS,
  notes: [],
  metadata: { ...NO_METADATA, exposureS: 120 },
  typed: [],
  measures: {
    stars: 0,
    fwhmPx: null,
    eccentricity: null,
    elongationAngle: null,
    elongationAgreement: null,
    background: [0],
    gradient: [{ level: 0, dx: 0, dy: 0 }],
    noise: [0],
    saturatedShare: 0,
    noiseCorrelation: [],
    trail: null,
    otherTrails: [],
    looksMosaic: false,
    blackShare: 0,
    double: null,
  },
  stars: [],
  stretch: { level: [0], sigma: [1], white: 1 },
  video: null,
  measuredThrough: null,
  measuredSize: { width: 10, height: 10, channels: 3 },
  relation: null,
  patches: null,
});
const fileOf = ({ id, projectId }: SubRecord, text: string) => ({ id, projectId, blob: new Blob([text]) });
const add = (repository: Repository, record: SubRecord, text = "") =>
  repository.addSubs([record], fileOf(record, text));

const stack = (id: string): StackRecord => ({
  version: RECORD_VERSION,
  id,
  projectId: "p",
  name: id,
  createdAt: 5,
  settings: stackSettings.parse({}),
  report: stackReport.parse({
    referenceName: "a",
    subsUsed: 1,
    integrationS: 1,
    rejectedFraction: 0,
    subs: [],
    noise: [],
    fwhmPx: null,
    medianSubFwhmPx: null,
    seconds: 1,
    peakBytes: 1,
  }),
  facts: pictureFacts.parse({
    width: 1,
    height: 1,
    channels: 1,
    fill: [0],
    skyLevel: 0,
    stretch: { level: [0], sigma: [1], white: 1 },
    fwhmPx: null,
    stars: 0,
    halvesSigma: null,
    spots: [],
  }),
  object: null,
  toProject: null,
  calibration: null,
  brought: null,
  ...{ gridId: null, note: "", deletedAt: null },
});

test("projects, subs with their files and stacks with their pictures come back as they were", async () => {
  const repository = await openRepository();
  await repository.addProject(project);
  await add(repository, sub("b", 2), "bbb");
  await add(repository, sub("a", 1), "aaa");
  const blobs = { mean: new Blob(["m"]), a: new Blob(["x"]), b: new Blob(["y"]), coverage: new Blob(["c"]) };
  await repository.addStack(stack("s"), blobs);
  expect(await repository.project("p")).toEqual(project);
  expect(await repository.project("other")).toBeNull();
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
  await repository.addProject(project);
  await repository.addProject({ ...project, id: "q" });
  await add(repository, sub("a", 1), "aaa");
  await add(repository, { ...sub("z", 1), projectId: "q" }, "zzz");
  await repository.saveFact({ version: RECORD_VERSION, id: "p:k", projectId: "p", value: [{ a: 1 }] });
  await repository.deleteProject("p");
  expect((await repository.projects()).found.map(({ id }) => id)).toEqual(["q"]);
  expect(await repository.blob("a")).toBeNull();
  expect(await repository.facts("p")).toEqual([]);
  expect(await repository.blob("z")).not.toBeNull();
  repository.close();
});

test("kept chains outlive their project, the last one first, until they are forgotten", async () => {
  const repository = await openRepository();
  await repository.addProject(project);
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
  expect((await repository.chains()).map(({ name }) => name)).toEqual(["second", "first"]);
  expect((await repository.chains())[0].steps[0].operation).toBe("noise.mixture");
  await repository.dropChain("second");
  expect((await repository.chains()).map(({ name }) => name)).toEqual(["first"]);
});

test("a damaged record is reported by field and left where it is; the others are read", async () => {
  const repository = await openRepository();
  await add(repository, sub("good", 1));
  await repository.saveSubs([{ ...sub("bad", 2), width: "wide" as unknown as number }]);
  const { found, problems } = await repository.subs("p");
  expect(found.map(({ id }) => id)).toEqual(["good"]);
  expect(problems).toEqual([expect.stringContaining("subs record bad: width")]);
  expect((await repository.subs("p")).problems.length).toBe(1);
  repository.close();
});

test("records of a newer version are refused as such, older ones are brought forward", () => {
  expect(readRecord("projects", projectRecord, { ...project, version: 7 })).toMatchObject({
    ok: false,
    reason: { why: "newer" },
  });
  const { version: _version, ...unversioned } = project;
  expect(readRecord("projects", projectRecord, unversioned)).toEqual({ ok: true, value: project });
  expect(readRecord("projects", projectRecord, { ...project, name: "" })).toMatchObject({
    ok: false,
    reason: { why: "damaged" },
  });
});

test("records of version 1 become those of today: a sub that was left out is rejected by hand", () => {
  const old = {
    ...sub("old", 3),
    version: 1,
    included: false,
    pixelScale: 1.6,
    ...Object.fromEntries(
      [
        "type",
        "fileId",
        "frame",
        "timeMs",
        "decision",
        "rival",
        "format",
        "typed",
        "video",
        "measuredThrough",
        "measuredSize",
        "relation",
        "patches",
      ].map((key) => [key, undefined]),
    ),
  };
  expect(readRecord("subs", subRecord, old)).toEqual({ ok: true, value: { ...sub("old", 3), decision: "reject" } });
  const { rules: _r, patches: _b, columns: _c, calibration: _k, ...first } = project;
  expect(readRecord("projects", projectRecord, { ...first, version: 1 })).toEqual({ ok: true, value: project });
  const { calibration: _calibration, ...plain } = stack("s");
  expect(readRecord("stacks", stackRecord, { ...plain, version: 1 })).toEqual({ ok: true, value: stack("s") });
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
  const repository = await Repository.open({ onBlocked: () => undefined, onLost: () => undefined }, name);
  expect(await repository.project("p")).toEqual(project);
  expect((await repository.masters("p")).found).toEqual([]);
  repository.close();
});

test("records of version 2 get a unit, and rules in % of the sky's level are switched off, not lost", () => {
  const { unit: _, ...old } = { ...sub("old", 0), version: 2 };
  const read = readRecord("subs", subRecord, old);
  expect(read.ok && read.value.unit).toMatchObject({ name: "ADU", storedPerUnit: 65535, fullScale: 65535 });
  const rule = { id: "g", on: true, kind: "limit", measure: "gradient", side: "below", value: 5 };
  const rules = [rule, { ...rule, id: "f", measure: "fwhm" }];
  const moved = readRecord("projects", projectRecord, { ...project, version: 2, rules });
  expect(moved.ok && moved.value.rules).toEqual([{ ...rule, on: false }, rules[1]]);
});

test("records of version 3: a candidate is the rival, boxes are patches, transmission is starlight", () => {
  const patches = { key: "k", levels: [0.1, null] };
  const { rival: _r, patches: _p, ...old } = { ...sub("old", 0), version: 3 };
  expect(readRecord("subs", subRecord, { ...old, candidate: true, boxes: patches })).toEqual({
    ok: true,
    value: { ...sub("old", 0), rival: true, patches },
  });
  const { patches: _q, ...before } = { ...project, version: 3 };
  const rule = { id: "t", on: true, kind: "limit", side: "below", value: 5 };
  const patch = { id: "b", x: 5, y: 6, side: 20 };
  const moved = readRecord("projects", projectRecord, {
    ...before,
    boxes: [patch],
    columns: ["fwhm", "transmission", "boxGradient"],
    rules: [{ ...rule, measure: "transmission" }],
  });
  expect(moved.ok && moved.value).toMatchObject({
    version: RECORD_VERSION,
    patches: [patch],
    columns: ["fwhm", "starlight", "patchDifference"],
    rules: [{ ...rule, measure: "starlight" }],
  });
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

test("records of version 4: matrices become warps, of subs and of stacks", () => {
  const matrix = [0, -1, 30, 1, 0, -4];
  const warp = { kind: "similarity", matrix };
  const relation = { to: "r", value: { toReference: matrix, residualPx: 0.1, pairs: 9, scale: 1, offset: [] } };
  const read = readRecord("subs", subRecord, { ...sub("old", 0), version: 4, relation });
  expect(read.ok && read.value.relation).toEqual({ to: "r", value: { ...relation.value, toReference: warp } });
  const none = readRecord("subs", subRecord, { ...sub("old", 0), version: 4, relation: { to: "r", value: null } });
  expect(none.ok && none.value.relation).toEqual({ to: "r", value: null });
  const { toProject: _, report, ...old } = stack("s");
  const listed = {
    ...{ id: "x", name: "x", used: true, reason: null, residualPx: 0, pairs: 9, scale: 1, weight: [1], half: "A" },
    ...{ fwhmPx: 3, eccentricity: 0, stars: 9, background: [0], noise: [1], transform: matrix },
  };
  const moved = readRecord("stacks", stackRecord, {
    ...old,
    version: 4,
    toProject: [1, 0, 7, 0, 1, 0],
    report: { ...report, subs: [listed, { ...listed, transform: null }] },
  });
  if (!moved.ok) throw new Error(moved.reason.detail);
  expect(moved.value.toProject).toEqual({ kind: "shift", matrix: [1, 0, 7, 0, 1, 0] });
  expect(moved.value.report.subs.map(({ toReference }) => toReference)).toEqual([warp, null]);
});
