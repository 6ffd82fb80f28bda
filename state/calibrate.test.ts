import { gradesOf, includedLights, referenceOf } from "./selectors";
import { wasmKernels } from "@/core/testing/fixtures";
import { createRawNight, createVideo, rawFile, videoFile } from "@/core/simulate";
import { stackSettings } from "@/core/stack";
import type { MasterRecord } from "@/storage";
import { groupLabel, matchedSub, shownCalibration } from "./calibration";
import type { WaitingFile } from "./importer";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { graded, testBench, withStorageEstimate } from "./testing";

/** A raw night in a session: types from cards, masters, matching, plans, and what is left after a stop or at the quota. */
let bench: TestBench;
const project = newProject("Raw", false);
const kernels = wasmKernels();
const night = createRawNight({ subs: 4, darks: 3, flats: 3, bias: 3, seed: 5, width: 300, height: 240, cfa: "RGGB" });
const files: WaitingFile[] = night.files.map((file) => ({
  name: file.name,
  load: () => Promise.resolve(new Blob([rawFile(night, file, kernels) as BlobPart])),
}));
const open = () => bench.open(project.id);

beforeAll(async () => {
  bench = await testBench("calibrate-test");
  await bench.repository.addProject(project);
});
afterAll(() => bench.close());

test("a stop keeps what came in and what is left; going on brings the rest, each once", async () => {
  const session = await open();
  // The second is on its way when the import is stopped, those after it are in.
  let asked = 0;
  const load: WaitingFile["load"] = (signal) =>
    asked++ === 0 ? new Promise<Blob>(() => undefined) : files[1].load(signal);
  const importing = session.subs.importFiles(files.map((file, k) => (k === 1 ? { ...file, load } : file)));
  while (session.store.getState().subs.length < 3) await new Promise((resolve) => setTimeout(resolve, 10));
  bench.jobs.store.getState().jobs[0].stop();
  await importing;
  const { waiting, subs } = session.store.getState();
  expect(waiting.length).toBe(files.length - subs.length);
  expect(subs[0].type).toBe("bias");
  await session.subs.importFiles(waiting);
  const after = session.store.getState();
  expect(after.waiting).toEqual([]);
  expect(after.subs.map(({ name }) => name)).toEqual(files.map(({ name }) => name));
  expect(after.subs.map(({ type }) => type).filter((type) => type === "dark").length).toBe(3);
  // Calibration frames came first; the first light is shown all the same.
  expect(after.subs.find(({ id }) => id === after.currentSubId)?.name).toBe("light-001.fits");
});

test("a frame that a person went to stays in sight when lights come in", async () => {
  const other = newProject("Other", false);
  await bench.repository.addProject(other);
  const session = await bench.open(other.id);
  await session.subs.importFiles(files.slice(0, 2));
  session.subs.select(session.store.getState().subs[1].id);
  await session.subs.importFiles(files.slice(-1));
  expect(session.store.getState().currentSubId).toBe(session.store.getState().subs[1].id);
});

test("before there are masters, lights are demosaiced and the lack of each master is said", async () => {
  const session = await open();
  const [group] = session.calibration.groups();
  expect(group.subs.length).toBe(4);
  expect(group.label).toBe("120 s · gain 84 · −6 °C · RGB · 300×240 · RGGB");
  expect(groupLabel(matchedSub(session.store.getState().subs[0]))).toBe("gain 84 · 300×240 · RGGB"); // a bias
  expect(group.plan.mismatches.map(({ text }) => text).join()).toMatch(/no darks.*no flats/s);
  expect(session.calibration.of(group.subs[0])).toMatchObject({ pattern: "RGGB", dark: null, flat: null });
  expect(group.subs[0].measuredSize.channels).toBe(3);
});

test("masters are made once, lights go through them, and all of it is there when the project is opened again", async () => {
  const session = await open();
  await session.calibration.makeMasters();
  const { masters } = session.store.getState();
  expect(masters.map(({ kind, frames }) => [kind, frames.length])).toEqual([
    ["bias", 3],
    ["dark", 3],
    ["flat", 3],
  ]);
  expect(masters[2].recipe).toContain("less Bias");
  expect(session.calibration.staleLights().length).toBe(4);
  const before = session.store.getState().subs.find(({ name }) => name === "light-001.fits");
  await session.subs.measureAgain();
  expect(session.calibration.staleLights()).toEqual([]);
  const after = session.store.getState().subs.find(({ name }) => name === "light-001.fits");
  // The dark and the offset are off: the sky is what the simulator put there, without 40 … ADU of offset.
  expect(after?.measures.background[1]).toBeLessThan((before?.measures.background[1] ?? 0) - 30 / 65535);
  const again = await open();
  expect(again.store.getState().masters.length).toBe(3);
  expect(again.calibration.staleLights()).toEqual([]);
  expect((await again.calibration.shownFrame(after as NonNullable<typeof after>)).calibration?.dark?.id).toBe(
    masters[1].id,
  );
  await again.calibration.makeMasters(); // nothing is left to make
  const [job] = bench.jobs.store.getState().jobs;
  expect(job.error?.message).toContain("no calibration frames without a master");
  bench.jobs.dismiss(job.id);
});

test("a changed plan is shown at once in the size that was measured, and asks for measuring", async () => {
  const session = await open();
  const light = includedLights(session.store.getState())[0];
  const { calibration } = session.project;
  const shown = (part: Partial<typeof calibration.settings>) => {
    session.saveProject({ calibration: { ...calibration, settings: { ...calibration.settings, ...part } } });
    const made = shownCalibration(light, session.calibration.of(light));
    return made && [made.settings.demosaic, made.settings.bin, made.pattern];
  };
  expect(shown({ pattern: "BGGR" })).toEqual(["limited", 1, "BGGR"]);
  expect(session.calibration.staleLights().length).toBe(4);
  expect(shown({ demosaic: "superpixel" })).toEqual(["limited", 1, "RGGB"]);
  expect(shown({ demosaic: "none" })).toEqual(["limited", 1, "RGGB"]);
  expect(shown({ bin: 3 })).toEqual(["limited", 1, "RGGB"]);
  const half = { ...light, measuredSize: { width: 150, height: 120, channels: 3 } };
  expect(shownCalibration(half, session.calibration.of(half))?.settings).toMatchObject({
    demosaic: "superpixel",
    bin: 1,
  });
  expect(shownCalibration({ ...light, measuredThrough: null }, session.calibration.of(light))).toBeNull();
  session.saveProject({ calibration });
  expect(session.calibration.staleLights()).toEqual([]);
});

test("stacks with and without flats are made from the same subs and keep their plan", async () => {
  const session = await open();
  await graded(session);
  const { calibration } = session.project;
  const settings = stackSettings.parse({});
  const made = await session.stacks.make("With", settings);
  const without = await session.stacks.make("Without flats", settings, {
    plan: { ...calibration, use: { ...calibration.use, flat: false } },
  });
  expect(made?.calibration?.groups[0].flat).not.toBeNull();
  expect(without?.calibration?.groups[0]).toMatchObject({ flat: null, dark: made?.calibration?.groups[0].dark });
  expect(without?.report.subsUsed).toBe(made?.report.subsUsed);
  // Measures made for the second stack are not kept with the subs.
  expect(session.calibration.staleLights()).toEqual([]);
});

test("a rule and a hand are kept apart; values are typed in for many; a type is changed", async () => {
  const session = await open();
  const lights = gradesOf(session.store.getState()).lights;
  session.subs.saveRules({ rules: [{ id: "r", on: true, kind: "limit", measure: "fwhm", side: "below", value: 0.5 }] });
  expect(includedLights(session.store.getState())).toEqual([]);
  session.subs.decide([lights[1].id], "keep");
  expect(includedLights(session.store.getState()).map(({ id }) => id)).toEqual([lights[1].id]);
  session.subs.decide([lights[1].id], null);
  session.subs.saveRules({ rules: [] });
  expect(includedLights(session.store.getState()).length).toBe(4);
  session.subs.typeIn([lights[0].id, lights[2].id], "filter", "Ha");
  expect(gradesOf(session.store.getState()).sets.map(({ label, frames }) => [label, frames.length])).toEqual([
    [expect.stringContaining("Ha"), 2],
    [expect.stringContaining("RGB"), 2],
  ]);
  const [typed] = session.store.getState().subs.filter(({ id }) => id === lights[0].id);
  expect(typed.typed).toEqual(["filter"]);
  session.subs.setType([lights[3].id], "flat");
  expect(gradesOf(session.store.getState()).lights.length).toBe(3);
  session.subs.setType([lights[3].id], "light");
  session.subs.typeIn([lights[0].id, lights[2].id], "filter", "RGB");
});

test("a master whose file is gone is named, and the others are used", async () => {
  const session = await open();
  const dark = session.store.getState().masters.find(({ kind }) => kind === "dark") as MasterRecord;
  const file = bench.files.get(dark.id) as Blob;
  bench.files.delete(dark.id);
  const again = await open();
  expect(again.store.getState().masters.map(({ kind }) => kind)).toEqual(["bias", "flat"]);
  expect(again.store.getState().problems.join()).toContain(dark.name);
  bench.files.set(dark.id, file);
  expect((await open()).store.getState().masters.length).toBe(3);
});

test("the import stops before the browser's quota is met, with nothing harmed, and goes on when there is room", async () => {
  const session = await open();
  const before = session.store.getState().subs.length;
  const bytes = new Uint8Array(await (await files[0].load(new AbortController().signal)).arrayBuffer());
  bytes[5762] ^= 1; // another frame, by one count of one pixel
  const more = { name: "bias-100.fits", load: () => Promise.resolve(new Blob([bytes])) };
  let quota = 2 ** 20;
  const restore = withStorageEstimate(() => Promise.resolve({ usage: 2 ** 19, quota }));
  await session.subs.importFiles([more]);
  const [job] = bench.jobs.store.getState().jobs;
  expect(job.error?.message).toBe("the browser's storage is full before bias-100.fits");
  expect(job.error?.advice).toContain("Nothing that was there is changed");
  bench.jobs.dismiss(job.id);
  expect(session.store.getState().subs.length).toBe(before);
  expect(session.store.getState().waiting.map(({ name }) => name)).toEqual(["bias-100.fits"]);
  quota = 2 ** 33;
  await session.subs.importFiles(session.store.getState().waiting);
  expect(session.store.getState().subs.length).toBe(before + 1);
  restore();
});

test("a video comes in frame by frame, is related by its disc, and is not stacked by stars", async () => {
  const planet = newProject("Oru", false);
  await bench.repository.addProject(planet);
  const session = await bench.open(planet.id);
  const ser = new Blob([
    ...videoFile(createVideo({ frames: 9, seed: 4, width: 128, height: 120 }), kernels),
  ] as BlobPart[]);
  await session.subs.importFiles([{ name: "oru.ser", load: () => Promise.resolve(ser) }]);
  const { subs } = session.store.getState();
  expect(subs.map(({ name, frame }) => [name, frame])[8]).toEqual(["oru.ser 9", 8]);
  await graded(session);
  const reference = referenceOf(session.store.getState());
  const related = session.store.getState().subs;
  expect(related.every(({ relation }) => relation?.to === reference?.id && relation?.value !== null)).toBe(true);
  const qualities = related.map(({ video }) => video?.quality ?? 0);
  expect(reference?.video?.quality).toBe(Math.max(...qualities));
  expect(session.calibration.staleLights()).toEqual([]);
  expect(await session.stacks.make("No", stackSettings.parse({}))).toBeNull();
  const [job] = bench.jobs.store.getState().jobs;
  expect(job.error?.message).toContain("frames of a video");
  bench.jobs.dismiss(job.id);
});

test("frames of a colour video are measured and shown in colour, and ranked by their blur all the same", async () => {
  const planet = newProject("Oru in colour", false);
  await bench.repository.addProject(planet);
  const session = await bench.open(planet.id);
  const video = createVideo({ frames: 30, seed: 6, width: 128, height: 120, cfa: "GBRG" });
  const ser = new Blob([...videoFile(video, kernels)] as BlobPart[]);
  await session.subs.importFiles([{ name: "oru.ser", load: () => Promise.resolve(ser) }]);
  const { subs } = session.store.getState();
  expect(subs.map(({ measuredSize }) => measuredSize.channels)).toEqual(subs.map(() => 3));
  const frame = await session.calibration.shownFrame(subs[4]);
  expect([frame.frame, frame.calibration?.pattern]).toEqual([4, "GBRG"]);
  // Spearman's rank correlation of sharpness and true blur: 1 − 6 Σ d² / (n (n² − 1)).
  const ranks = (values: number[]) => values.map((v) => values.filter((other) => other < v).length);
  const sharpness = ranks(subs.map(({ video: own }) => own?.quality ?? 0));
  const blur = ranks(video.conditions.map(({ fwhmPx }) => -fwhmPx));
  const squares = sharpness.reduce((sum, rank, i) => sum + (rank - blur[i]) ** 2, 0);
  expect(1 - (6 * squares) / (30 * (30 ** 2 - 1))).toBeGreaterThan(0.95);
  expect(session.calibration.staleLights()).toEqual([]);
});
