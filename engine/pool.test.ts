import { bytesOfArray, writeFits } from "@/core/formats";
import { Stopped } from "@/core/job";
import { createNight, subFile } from "@/core/simulate";
import { wasmKernels, worstDifference } from "@/core/testing/fixtures";
import { newStep } from "@/core/chain";
import { findOperation, untouchedState, type AnyOperation } from "@/core/operations";
import { stackSettings } from "@/core/stack";
import { byteCache } from "./cache";
import { bytesOfBlob, type FrameRef } from "./frames";
import { WorkerPool } from "./pool";
import { failureOf, JobError } from "./protocol";
import { prepareTreatment, renderPicture } from "./jobs/render";
import { stripsOf } from "./jobs/assemble";
import { makeStack } from "./jobs/stack";
import type { StoredStrip, StripStore } from "./jobs/strips";
import { inMemory } from "./jobs/strips";
import { workersInThread, puppet } from "./testing";

const workers = workersInThread();
afterAll(workers.close);

const bytesOf = async (blob: Blob) => Buffer.from(await blob.arrayBuffer());
const blobOf = (bytes: Uint8Array) => new Blob([bytes as BlobPart]);
const plane = Float32Array.from({ length: 64 * 48 }, (_, i) => (i % 64) * 0.01);
const picture: FrameRef = {
  id: "p",
  name: "p.fits",
  kind: "blob",
  blob: blobOf(writeFits({ width: 64, height: 48, channels: 1, sample: "float32" }, [plane])),
};
const treatment = { picture, halves: null, fill: [0], fullScale: 1, steps: [], facts: [] };
const region = { x: 4, y: 5, width: 20, height: 10 };

describe("the pool over real workers", () => {
  const pool = new WorkerPool(1, workers.open);

  test("runs a task and hands its result over, twice the same from its cache", async () => {
    const a = await pool.run("crop", { treatment, region, reduce: 1 });
    const b = await pool.run("crop", { treatment, region, reduce: 1 });
    expect(a.planes[0][0]).toBeCloseTo(0.04, 6);
    expect(worstDifference(a.planes[0], b.planes[0])).toBe(0);
  });

  test("reduces by box means", async () => {
    const half = await pool.run("crop", { treatment, region: { x: 0, y: 0, width: 64, height: 48 }, reduce: 4 });
    expect([half.width, half.height]).toEqual([16, 12]);
    expect(half.planes[0][1]).toBeCloseTo(0.055, 6);
  });

  test("a file that cannot be read fails with its name, its place and what to do", async () => {
    const bad: FrameRef = { id: "bad", name: "bad.fits", kind: "blob", blob: blobOf(new Uint8Array(4000).fill(70)) };
    const error = await pool.run("measureSub", { frame: bad }).catch((reason: unknown) => reason);
    expect(error).toBeInstanceOf(JobError);
    expect(error).toMatchObject({
      name: "FormatError",
      message: expect.stringContaining("bad.fits: byte 0"),
      advice: expect.stringContaining("FITS"),
    });
    // The worker lives on.
    expect((await pool.run("crop", { treatment, region, reduce: 1 })).planes[0][0]).toBeCloseTo(0.04, 6);
  });

  test("a stop reaches a job that runs", async () => {
    const night = createNight({ subs: 4, seed: 3, width: 200, height: 160 });
    const kernels = wasmKernels();
    const frames = new Map<string, FrameRef>();
    const facts = [];
    for (const { index } of night.subs) {
      const frame: FrameRef = {
        id: `n${index}`,
        name: `n${index}`,
        kind: "blob",
        blob: blobOf(subFile(night, index, kernels)),
      };
      frames.set(frame.id, frame);
      const reading = await pool.run("measureSub", { frame });
      facts.push({ id: frame.id, name: frame.name, exposureS: 120, ...reading });
    }
    const abort = new AbortController();
    const wanted = { subs: facts, frames, settings: stackSettings.parse({}) };
    const stopped = makeStack(pool, wanted, { signal: abort.signal, onProgress: (f) => f > 0.05 && abort.abort() });
    await expect(stopped).rejects.toThrow(Stopped);

    // Interrupted with a store for its strips, it goes on from them, and comes to the same bytes.
    const kept = new Map<string, StoredStrip>();
    const asked: string[] = [];
    const strips: StripStore = {
      load: (stack, y) => {
        const found = kept.get(`${stack} ${y}`) ?? null;
        asked.push(found ? "kept" : "new");
        return Promise.resolve(found);
      },
      save: (stack, y, strip) => {
        kept.set(`${stack} ${y}`, inMemory(strip));
        return Promise.resolve(inMemory(strip));
      },
      isOnDisk: false,
      forget: (except) => {
        for (const key of kept.keys()) if (except === null || !key.startsWith(except)) kept.delete(key);
        return Promise.resolve();
      },
    };
    kept.set("an older stack 0", {} as StoredStrip);
    const halfway = new AbortController();
    const onProgress = (f: number) => f > 0.5 && halfway.abort();
    await expect(makeStack(pool, { ...wanted, strips }, { signal: halfway.signal, onProgress })).rejects.toThrow(
      Stopped,
    );
    await new Promise((resolve) => setTimeout(resolve, 100)); // a strip that was on its way is kept too
    const finished = kept.size;
    expect(finished).toBeGreaterThan(2);
    expect(kept.has("an older stack 0")).toBe(false);
    asked.length = 0;
    const resumed = await makeStack(pool, { ...wanted, strips }, { onProgress: () => undefined });
    expect(asked.filter((found) => found === "kept").length).toBe(finished);
    expect(asked.filter((found) => found === "new").length).toBeGreaterThan(1);
    await resumed.release();
    expect(kept.size).toBe(0);

    // So it does in the midst of its drops, the ordinary stack being there.
    const drizzled = { ...wanted, settings: { ...wanted.settings, drizzle: "1.5" as const } };
    const late = new AbortController();
    const onDrops = (f: number) => f > 0.51 && late.abort();
    const first = makeStack(pool, { ...drizzled, strips }, { signal: late.signal, onProgress: onDrops });
    await expect(first).rejects.toThrow(Stopped);
    await new Promise((resolve) => setTimeout(resolve, 100));
    asked.length = 0;
    const goneOn = await makeStack(pool, { ...drizzled, strips }, { onProgress: () => undefined });
    expect(asked).toContain("new");
    expect(asked[0]).toBe("kept");
    const inOneGo = await makeStack(pool, drizzled, { onProgress: () => undefined });
    for (const kind of ["mean", "a", "b", "coverage", "rejected"] as const)
      expect(Buffer.compare(await bytesOf(goneOn[kind]), await bytesOf(inOneGo[kind]))).toBe(0);

    const fractions: number[] = [];
    const made = await makeStack(pool, wanted, { onProgress: (f) => fractions.push(f) });
    expect(made.report.subsUsed).toBe(4);
    for (const kind of ["mean", "a", "b", "coverage", "rejected", "rejectedBySub"] as const)
      expect(Buffer.compare(await bytesOf(resumed[kind]), await bytesOf(made[kind]))).toBe(0);
    expect([...fractions].sort((a, b) => a - b)).toEqual(fractions);
    expect(fractions[fractions.length - 1]).toBe(1);
    expect(made.mean.size % 2880).toBe(0);
    const text = Buffer.from(await made.mean.slice(0, 2880 * 4).arrayBuffer()).toString("latin1");
    expect(text).toContain("HISTORY used n0 half A warp");

    const step = newStep(findOperation("noise.starlet") as AnyOperation);
    const ref = (id: string, blob: Blob): FrameRef => ({ id, name: id, kind: "blob", blob });
    const given = {
      picture: ref("s", made.mean),
      halves: { a: ref("a", made.a), b: ref("b", made.b) },
      fill: made.facts.fill,
      fullScale: 1,
      steps: [step],
    };
    const { width, height } = made.facts;
    const result = untouchedState(made.facts);
    const treated = await prepareTreatment(pool, given);
    const rendered = await renderPicture(
      pool,
      { treatment: treated, result, region: { x: 0, y: 0, width, height }, title: "B" },
      { onProgress: () => undefined },
    );
    const history = Buffer.from(await rendered.slice(0, 2880 * 4).arrayBuffer()).toString("latin1");
    expect(history).toContain("noise.starlet");
    expect(history).toContain("facts");
  });
});

describe("small parts", () => {
  test("what is kept for jobs goes to a worker once, however large it is, and is forgotten when it is released", () => {
    const { line, posted, say } = puppet();
    const pool = new WorkerPool(1, () => line);
    const plan = pool.keepForJobs({ mesh: new Float32Array(2 ** 25) }); // 128 MiB, more than facts may take
    const run = () => void pool.run("dither", { plan, settings: {}, lattice: 1 } as never).catch(() => undefined);
    const kinds = () => posted.map(({ kind }) => kind);
    run();
    expect(kinds()).toEqual(["keep", "run"]);
    say({ kind: "done", id: posted[1].id, result: null, ms: 1 });
    run();
    expect(kinds()).toEqual(["keep", "run", "run"]);
    pool.release(plan);
    expect(kinds()).toEqual(["keep", "run", "run", "forget"]);
    pool.close();
  });

  test("the cache forgets what was used longest ago, by bytes", () => {
    const cache = byteCache<{ bytes: number }>(10, ({ bytes }) => bytes);
    const four = { bytes: 4 };
    cache.set("a", four);
    cache.set("b", four);
    cache.get("a");
    cache.set("c", four);
    expect([cache.get("a"), cache.get("b"), cache.get("c")]).toEqual([four, undefined, four]);
    cache.set("a", { bytes: 2 });
    expect(cache.calculatedSize).toBe(6);
    cache.set("big", { bytes: 11 });
    expect(cache.get("big")).toBeUndefined();
    cache.set("empty", { bytes: 0 }); // a picture of no pixels is no error
    expect(cache.get("empty")).toEqual({ bytes: 0 });
  });

  test("strips cover the picture", () => {
    const strips = stripsOf(900, 601, 2);
    expect(strips.reduce((sum, { height }) => sum + height, 0)).toBe(601);
    expect(strips.every(({ width, height }) => width === 900 && height <= 256)).toBe(true);
  });

  test("errors cross as text with their advice; reading past the end of a blob fails", async () => {
    expect(failureOf("x")).toEqual({ name: "Error", message: "x", advice: "" });
    expect(failureOf(new RangeError("y"))).toEqual({ name: "RangeError", message: "y", advice: "" });
    await expect(bytesOfBlob("b", new Blob(["abc"])).read(1, 5)).rejects.toThrow("past the end");
    await expect(bytesOfArray("b", new Uint8Array(3)).read(1, 5)).rejects.toThrow("past the end");
  });
});
