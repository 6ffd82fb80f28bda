import { mapPoint, IDENTITY } from "@/core/register";
import { writeFits } from "@/core/formats";
import { createNight, exposeSub, subFile } from "@/core/simulate";
import { wasmKernels } from "@/core/testing/fixtures";
import { channelsOf } from "./joinedStack";
import { roleOf } from "./roles";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { testBench } from "./testing";

/** Stacks that were made elsewhere, or here and written to files. */
let bench: TestBench;
const project = newProject("Brought", false);
const night = createNight({ subs: 5, seed: 3, width: 220, height: 180 });
const sub = (index: number) => new Blob([subFile(night, index, wasmKernels()) as BlobPart]);

beforeAll(async () => {
  bench = await testBench("brought-test");
  await bench.repository.addProject(project);
});
afterAll(() => bench.close());

test("what a file is to a stack follows from its header, else from its name", () => {
  expect(roleOf("x.fits", "half", "stack half B")).toBe("b");
  expect(roleOf("pier.a.fits", null, null)).toBe("a");
  expect(roleOf("pier-half-b.tif", null, null)).toBe("b");
  expect(roleOf("pier.coverage.fits", null, null)).toBe("coverage");
  expect(roleOf("Vega.fits", null, null)).toBe("mean");
  expect(roleOf("pier.a.fits", "stack", "stack")).toBe("mean");
});

/** A sub of the night that says by its header to be something else. */
async function made(type: string, name: string, index = 0) {
  const bytes = new Uint8Array(await sub(index).arrayBuffer());
  const header = Buffer.from(bytes.buffer, 0, 5760);
  const at = header.indexOf("IMAGETYP= ");
  header.write(`IMAGETYP= '${type}'`.padEnd(50), at);
  return { name, load: () => Promise.resolve(new Blob([bytes])) };
}

test("what was made of subs is recognised by its header, is no sub, and is brought in as what it is", async () => {
  const session = await bench.open(project.id);
  await session.subs.importFiles([
    await made("stack", "pier.fits"),
    await made("stack half A", "pier.a.fits", 1),
    await made("stack half B", "pier.b.fits", 2),
    await made("treated picture", "pier clean.fits", 3),
  ]);
  const roles = () => session.store.getState().found.map(({ role }) => role);
  expect(session.store.getState().subs).toEqual([]);
  expect(roles()).toEqual(["mean", "a", "b", "none"]);
  await session.stacks.bringIn();
  const { stacks, board, currentStackId } = session.store.getState();
  expect(roles()).toEqual([]);
  const [stack] = stacks;
  expect(stack).toMatchObject({ id: currentStackId, name: "pier", toProject: IDENTITY });
  expect(stack.brought).toEqual({
    files: ["pier.fits", "pier.a.fits", "pier.b.fits"],
    hasHalves: true,
    hasCoverage: false,
    combined: null,
    joined: null,
    copyOf: null,
    hash: expect.stringMatching(/^[0-9a-f]{16}$/) as string,
    // Pixel size over focal length of the simulated camera, in radians.
    arcsecPerPx: expect.closeTo((206264.806 * 4.2e-3) / 540, 4) as number,
  });
  expect(board?.present.lanes.every(({ stackId }) => stackId === stack.id)).toBe(true);
  // Of two halves of σ each, (A − B)/2 has σ/√2, and so has their mean.
  const sigma = stack.report.noise[0].fromHalves ?? 0;
  expect(sigma).toBeCloseTo(stack.facts.halvesSigma?.[0] ?? NaN, 12);
  expect((await session.stacks.subjectOf(stack)).halves).not.toBeNull();
  const again = await bench.open(project.id);
  expect(again.store.getState().stacks).toEqual(stacks);
});

test("a stack from a file without a word of what it is lies beside the others, without halves, tied by its stars", async () => {
  const session = await bench.open(project.id);
  await session.stacks.find([{ name: "elsewhere.fits", blob: sub(3) }]);
  await session.stacks.bringIn();
  const stack = session.store.getState().stacks.find(({ name }) => name === "elsewhere");
  expect(stack?.brought?.hasHalves).toBe(false);
  expect(stack?.report.noise[0].fromHalves).toBeNull();
  expect(stack?.toProject).not.toBeNull();
  expect((await session.stacks.subjectOf(stack ?? raise())).halves).toBeNull();
  // The same file under another name is the same stack.
  await session.stacks.find([{ name: "again.fits", blob: sub(3) }]);
  await session.stacks.bringIn();
  const failed = bench.jobs.store.getState().jobs.find(({ error }) => error);
  expect(failed?.error?.message).toBe("again.fits: is in the project already, as “elsewhere”");
  bench.jobs.dismiss(failed?.id ?? 0);
  session.stacks.setFound([]);
});

test("a copy at another scale is a stack with halves, tied to the one it is of", async () => {
  const session = await bench.open(project.id);
  const [stack] = session.store.getState().stacks;
  await session.stacks.copy(stack, { factor: 0.5, resampling: "lanczos3" });
  const copy = session.store.getState().stacks.at(-1) ?? raise();
  expect([copy.facts.width, copy.facts.height]).toEqual(
    [stack.facts.width, stack.facts.height].map((size) => Math.floor(size / 2)),
  );
  expect(copy.brought).toMatchObject({ hasHalves: true, copyOf: { stackId: stack.id, factor: 0.5 } });
  const [x, y] = copy.toProject ? mapPoint(copy.toProject, 30, 20) : [NaN, NaN];
  expect(Math.hypot(x - 60.5, y - 40.5)).toBeLessThan(0.3);
  // White noise halves where four pixels become one.
  const [before, after] = [stack, copy].map(({ facts }) => facts.halvesSigma?.[0] ?? NaN);
  expect(after / before).toBeGreaterThan(0.4);
  expect(after / before).toBeLessThan(0.65);
  session.stacks.delete(copy.id);
});

test("stacks of one channel are joined into colour, with halves and the way they were joined; the light is that of its parts", async () => {
  const grey = newProject("Grey", false);
  await bench.repository.addProject(grey);
  const session = await bench.open(grey.id);
  for (const [k, filter] of ["R", "G", "B"].entries()) {
    const { width, height, planes } = exposeSub(
      night.sky,
      night.camera,
      { ...night.subs[k], trail: null },
      1,
      wasmKernels(),
    );
    const picture = (name: string) => ({
      name,
      blob: new Blob([writeFits({ width, height, channels: 1, sample: "float32" }, [planes[k]]) as BlobPart]),
    });
    await session.stacks.find([picture(`${filter}.fits`), picture(`${filter}.a.fits`), picture(`${filter}.b.fits`)]);
    await session.stacks.bringIn();
  }
  const [red, green, blue] = session.store.getState().stacks.map(({ id }) => id);
  // Their names tell the filters, in whatever order they stand.
  const { stacks, subs } = session.store.getState();
  expect(channelsOf([...stacks].reverse(), subs)).toEqual({ red, green, blue, luminance: null });
  await session.stacks.join({ red, green, blue, luminance: null });
  const joined = session.store.getState().stacks.at(-1);
  expect(joined?.facts.channels).toBe(3);
  expect(joined?.brought).toMatchObject({ hasHalves: true, combined: 3 });
  expect(joined?.brought?.joined?.map(({ channel, stackId }) => [channel, stackId])).toEqual([
    ["red", red],
    ["green", green],
    ["blue", blue],
  ]);
  expect(joined?.toProject).not.toBeNull();
  // The halves are the picture itself here: nothing is between them.
  expect(joined?.facts.halvesSigma).toEqual([0, 0, 0]);
  await session.stacks.join({ red: "gone", green, blue, luminance: null });
  expect(bench.jobs.store.getState().jobs.some(({ error }) => error?.message.includes("for red is not there"))).toBe(
    true,
  );
});

test("parts that do not belong together are named, and nothing is lost", async () => {
  const session = await bench.open(project.id);
  const before = session.store.getState().stacks.length;
  const told = () => session.store.getState().problems.at(-1);
  await session.stacks.find([{ name: "alone.a.fits", blob: sub(1) }]);
  await session.stacks.bringIn();
  expect(told()).toContain("alone.a.fits: the stack that it belongs to is not there");
  await session.stacks.find([{ name: "alone.fits", blob: sub(0) }]);
  await session.stacks.bringIn();
  expect(told()).toContain("alone.fits: only half A of it is there");
  expect(session.store.getState().found.length).toBe(2);
  expect(session.store.getState().stacks.length).toBe(before);
});

const raise = (): never => {
  throw new Error("it is not there");
};
