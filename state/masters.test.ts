import { createRawNight, rawFile } from "@/core/simulate";
import { wasmKernels } from "@/core/testing/fixtures";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { testBench } from "./testing";

/** Which frames become which master, and what is said. */
let bench: TestBench;
const kernels = wasmKernels();
const size = { width: 96, height: 80, seed: 3, cfa: null };
const night = createRawNight({ ...size, subs: 1, darks: 3, flats: 2, bias: 2, darkflats: 2 });
const warm = createRawNight({ ...size, subs: 1, darks: 2, flats: 0, bias: 0, darkTemperatureC: 0 });

const filesOf = (given: typeof night, kinds: string[], prefix = "") =>
  given.files
    .filter(({ type }) => kinds.includes(type))
    .map((file) => ({
      name: `${prefix}${file.name}`,
      load: () => Promise.resolve(new Blob([rawFile(given, file, kernels) as BlobPart])),
    }));

async function sessionWith(name: string, ...files: ReturnType<typeof filesOf>[]) {
  const project = newProject(name, false);
  await bench.repository.addProject(project);
  const session = await bench.open(project.id);
  await session.subs.importFiles(files.flat());
  return session;
}

beforeAll(async () => {
  bench = await testBench("masters-test");
});
afterAll(() => bench.close());

test("flats are less their dark-flats before the bias; masters of flats come last", async () => {
  const session = await sessionWith("Dark-flats", filesOf(night, ["flat", "bias", "darkflat", "dark"]));
  await session.calibration.makeMasters();
  const { masters } = session.store.getState();
  expect(masters[masters.length - 1].kind).toBe("flat");
  expect(masters.find(({ kind }) => kind === "flat")?.recipe).toContain("less Dark-flat");
  expect(masters.every(({ warnings }) => warnings.length === 0)).toBe(true);
});

test("flats with nothing to take off are made all the same, and say what that does", async () => {
  const session = await sessionWith("Flats alone", filesOf(night, ["flat"]));
  await session.calibration.makeMasters();
  const [flat] = session.store.getState().masters;
  expect(flat.warnings.join()).toContain("without dark-flats or a bias they correct too little");
});

test("darks of two temperatures are two masters; the nearer is chosen and a wrong one is named in words", async () => {
  const session = await sessionWith("Two", filesOf(night, ["dark", "light"]), filesOf(warm, ["dark"], "warm-"));
  await session.calibration.makeMasters();
  const darks = session.store.getState().masters.filter(({ kind }) => kind === "dark");
  expect(darks.map(({ metadata }) => metadata.temperatureC).sort()).toEqual([-6, 0]);
  const cold = darks.find(({ metadata }) => metadata.temperatureC === -6);
  expect(session.calibration.groups()[0].plan.dark).toBe(cold?.id);
  await session.calibration.deleteMaster(cold?.id ?? "");
  const [group] = session.calibration.groups();
  expect(group.plan.dark).not.toBeNull();
  expect(group.plan.mismatches.map(({ text }) => text).join()).toMatch(/6 °C warmer/);
  // The frames of the deleted master can be made into one again.
  await session.calibration.makeMasters();
  expect(session.store.getState().masters.filter(({ kind }) => kind === "dark").length).toBe(2);
});

test("a calibration frame that was left out by hand goes into no master", async () => {
  const session = await sessionWith("One out", filesOf(night, ["dark"]));
  const [first] = session.store.getState().subs;
  session.subs.decide([first.id], "reject");
  await session.calibration.makeMasters();
  const [dark] = session.store.getState().masters;
  expect(dark.frames).not.toContain(first.id);
  expect(dark.frames.length).toBe(2);
  expect(dark.recipe).toMatch(/^mean of 2/);
});

test("a master that comes as a file is a master, and calibrates as the one that it was", async () => {
  const made = await sessionWith("Makers", filesOf(night, ["dark", "light"]));
  await made.calibration.makeMasters();
  const [dark] = made.store.getState().masters;
  const blob = bench.files.get(dark.id) as Blob;
  const session = await sessionWith("Takers", filesOf(night, ["light"]), [
    { name: "master dark.fits", load: () => Promise.resolve(blob) },
  ]);
  const { masters, subs } = session.store.getState();
  expect(subs.map(({ type }) => type)).toEqual(["light"]);
  expect(masters).toMatchObject([{ kind: "dark", recipe: "brought in as a master from master dark.fits", frames: [] }]);
  expect(masters[0].unit?.fullScale).toBe(dark.unit?.fullScale);
  expect(session.calibration.groups()[0].plan.dark).toBe(masters[0].id);
  expect((await bench.open(session.project.id)).store.getState().masters.length).toBe(1);
});

test("making masters can be stopped; those that were done stay", async () => {
  const session = await sessionWith("Stopped", filesOf(night, ["bias", "dark", "flat"]));
  const making = session.calibration.makeMasters();
  while (session.store.getState().masters.length < 1) await new Promise((resolve) => setTimeout(resolve, 2));
  bench.jobs.store.getState().jobs[0]?.stop();
  await making;
  const done = session.store.getState().masters.length;
  expect(done).toBeGreaterThanOrEqual(1);
  await session.calibration.makeMasters().catch(() => undefined);
  expect(session.store.getState().masters.length).toBe(3);
  for (const job of bench.jobs.store.getState().jobs) bench.jobs.dismiss(job.id);
});
