import { NO_METADATA } from "@/core/formats";
import "fake-indexeddb/auto";
import { pictureFacts } from "@/core/compare";
import { stackReport, stackSettings } from "@/core/stack";
import { readRecord } from "./migrations";
import type { StackRecord, SubRecord } from "./index";
import { Repository, stackPictureId } from "./index";
import { projectRecord } from "./records";

let count = 0;
const openRepository = () =>
  Repository.open({ onBlocked: () => undefined, onLost: () => undefined }, `test-${count++}`);
const project = {
  version: 1 as const,
  id: "p",
  name: "Weir",
  createdAt: 1,
  openedAt: 2,
  demo: false,
  deletedAt: null,
  thumbnail: null,
  referenceId: null,
  stage: "subs" as const,
};

const sub = (id: string, order: number): SubRecord => ({
  version: 1,
  id,
  projectId: "p",
  name: `${id}.fits`,
  order,
  included: true,
  bytes: 3,
  width: 10,
  height: 10,
  channels: 3,
  bitpix: 16,
  metadata: { ...NO_METADATA, exposureS: 120 },
  pixelScale: null,
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
    trail: null,
  },
  stars: [],
  stretch: { level: [0], sigma: [1] },
});

const stack = (id: string): StackRecord => ({
  version: 1,
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
    stretch: { level: [0], sigma: [1] },
    fwhmPx: null,
    stars: 0,
    halvesSigma: null,
    spots: [],
  }),
  object: null,
});

test("projects, subs with their files and stacks with their pictures come back as they were", async () => {
  const repository = await openRepository();
  await repository.saveProject(project);
  await repository.addSub(sub("b", 2), new Blob(["bbb"]));
  await repository.addSub(sub("a", 1), new Blob(["aaa"]));
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
  await repository.saveProject(project);
  await repository.saveProject({ ...project, id: "q" });
  await repository.addSub(sub("a", 1), new Blob(["aaa"]));
  await repository.addSub({ ...sub("z", 1), projectId: "q" }, new Blob(["zzz"]));
  await repository.saveContext({ version: 1, id: "p:k", projectId: "p", contexts: [{ a: 1 }] });
  await repository.deleteProject("p");
  expect((await repository.projects()).found.map(({ id }) => id)).toEqual(["q"]);
  expect(await repository.blob("a")).toBeNull();
  expect(await repository.contexts("p")).toEqual([]);
  expect(await repository.blob("z")).not.toBeNull();
  repository.close();
});

test("a damaged record is reported by field and left where it is; the others are read", async () => {
  const repository = await openRepository();
  await repository.addSub(sub("good", 1), new Blob([]));
  await repository.saveSub({ ...sub("bad", 2), width: "wide" as unknown as number });
  const { found, problems } = await repository.subs("p");
  expect(found.map(({ id }) => id)).toEqual(["good"]);
  expect(problems).toEqual([expect.stringContaining("subs record bad: width")]);
  expect((await repository.subs("p")).problems.length).toBe(1);
  repository.close();
});

test("records of a newer version are refused as such, older ones are brought forward", () => {
  expect(readRecord("projects", projectRecord, { ...project, version: 7 })).toMatchObject({
    ok: false,
    reason: "newer",
  });
  const { version: _version, ...unversioned } = project;
  expect(readRecord("projects", projectRecord, unversioned)).toEqual({ ok: true, value: project });
  expect(readRecord("projects", projectRecord, { ...project, name: "" })).toMatchObject({
    ok: false,
    reason: "damaged",
  });
});
