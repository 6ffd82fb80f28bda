import { MessageChannel, type MessagePort } from "node:worker_threads";
import { bytesOfArray, writeFits } from "@/core/formats";
import { Stopped } from "@/core/job";
import { createNight, subFile } from "@/core/simulate";
import { kernelBytes } from "@/core/testing/kernelBytes";
import { wasmKernels, worstDifference } from "@/core/testing/fixtures";
import { newStep } from "@/core/chain";
import { findOperation, type AnyOperation } from "@/core/operations";
import { stackSettings } from "@/core/stack";
import { byteCache } from "./cache";
import { bytesOfBlob, type FrameRef } from "./frames";
import type { PoolLine } from "./pool";
import { PRIORITY, WorkerPool } from "./pool";
import { failureOf, JobError } from "./protocol";
import { prepareTreatment, renderPicture } from "./jobs/render";
import { stripsOf } from "./jobs/assemble";
import { makeStack } from "./jobs/stack";
import type { StoredStrip, StripStore } from "./jobs/strips";
import { inMemory } from "./jobs/strips";
import { serve } from "./worker";

const open: MessagePort[] = [];
afterAll(() => open.forEach((port) => port.close()));

/** A worker in this thread: the same host and protocol over a message channel. */
function inThread(): PoolLine {
  const { port1, port2 } = new MessageChannel();
  open.push(port1, port2);
  serve(
    {
      post: (message, transfer) => port2.postMessage(message, transfer),
      listen: (handler) => port2.on("message", handler),
      breathe: () => new Promise((resolve) => setImmediate(resolve)),
    },
    (ref) =>
      ref.kind === "blob"
        ? Promise.resolve(bytesOfBlob(ref.name, ref.blob))
        : Promise.reject(new Error("no files here")),
    kernelBytes(),
  );
  return {
    post: (message) => port1.postMessage(message),
    listen: (onMessage) => void port1.on("message", onMessage),
    close: () => port1.close(),
  };
}

/** A line whose worker answers only when told to. */
function puppet() {
  const posted: { kind: string; id: number; task?: string }[] = [];
  let reply: (message: unknown) => void = () => undefined;
  let die: (why: string) => void = () => undefined;
  let closed = 0;
  const line: PoolLine = {
    post: (message) => void posted.push(message as (typeof posted)[number]),
    listen: (onMessage, onDeath) => {
      reply = onMessage;
      die = onDeath;
    },
    close: () => void closed++,
  };
  return { line, posted, say: (m: unknown) => reply(m), die: (why: string) => die(why), closed: () => closed };
}

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
  const pool = new WorkerPool(1, inThread);

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
      ...{ fill: made.facts.fill, fullScale: 1 },
      steps: [step],
    };
    const { width, height, channels } = made.facts;
    const treated = await prepareTreatment(pool, given);
    const rendered = await renderPicture(
      pool,
      { treatment: treated, region: { x: 0, y: 0, width, height }, channels, title: "B" },
      { onProgress: () => undefined },
    );
    const history = Buffer.from(await rendered.slice(0, 2880 * 4).arrayBuffer()).toString("latin1");
    expect(history).toContain("noise.starlet");
    expect(history).toContain("facts");
  }, 60_000);
});

test("a fact that is kept reaches every worker, and those that come in the place of dead ones", () => {
  const dolls: ReturnType<typeof puppet>[] = [];
  const pool = new WorkerPool(2, () => {
    dolls.push(puppet());
    return dolls[dolls.length - 1].line;
  });
  const id = pool.keep([{ fwhmPx: 3 }]);
  const kept = { kind: "keep", id, value: [{ fwhmPx: 3 }] };
  expect(dolls.map(({ posted }) => posted)).toEqual([[kept], [kept]]);
  dolls[0].die("gone");
  expect(dolls[2].posted).toEqual([kept]);
  expect(pool.keep([1])).not.toBe(id);
  expect(pool.valuesOf({ "psf@each": id })).toEqual({ "psf@each": [{ fwhmPx: 3 }] });
  expect(() => pool.valuesOf({ "psf@each": "none" })).toThrow("psf@each (none) is not known here");
});

describe("the queue", () => {
  test("takes the most urgent first, then the oldest, and shares a worker by affinity", () => {
    const dolls = [puppet(), puppet()];
    let next = 0;
    const pool = new WorkerPool(2, () => dolls[next++].line);
    const run = (priority: 0 | 1 | 2 | 3, affinity?: string) =>
      void pool.run("crop", { treatment, region, reduce: 1 }, { priority, affinity });
    run(3);
    run(3);
    run(3);
    run(PRIORITY.measure);
    run(PRIORITY.interaction);
    expect([dolls[0].posted.length, dolls[1].posted.length]).toEqual([1, 1]);
    dolls[0].say({ kind: "done", id: dolls[0].posted[0].id, result: null, ms: 1 });
    expect(dolls[0].posted[1].id).toBe(5);
    dolls[0].say({ kind: "done", id: 5, result: null, ms: 1 });
    expect(dolls[0].posted[2].id).toBe(4);
    dolls[0].say({ kind: "done", id: 4, result: null, ms: 1 });
    expect(dolls[0].posted[3].id).toBe(3);
  });

  test("batch jobs leave workers free for what is more urgent", () => {
    const dolls = [puppet(), puppet()];
    let next = 0;
    const pool = new WorkerPool(2, () => dolls[next++].line, 1);
    const run = (priority: 0 | 3) => void pool.run("crop", { treatment, region, reduce: 1 }, { priority });
    run(PRIORITY.batch);
    run(PRIORITY.batch);
    expect([dolls[0].posted.length, dolls[1].posted.length]).toEqual([1, 0]);
    run(PRIORITY.interaction);
    expect(dolls[1].posted.map(({ id }) => id)).toEqual([3]);
    dolls[1].say({ kind: "done", id: 3, result: null, ms: 1 });
    expect(dolls[1].posted.length).toBe(1); // the second batch job still waits
    dolls[0].say({ kind: "done", id: 1, result: null, ms: 1 });
    expect([dolls[0].posted.length, dolls[1].posted.length]).toEqual([2, 1]);
  });

  test("a measure gives its worker to what the person does, and is begun again after it", async () => {
    const doll = puppet();
    const pool = new WorkerPool(1, () => doll.line);
    const abort = new AbortController();
    const run = (priority: number, signal?: AbortSignal) =>
      pool.run("crop", { treatment, region, reduce: 1 }, { priority, signal });
    const measure = run(PRIORITY.measure);
    const stoppedLater = run(PRIORITY.measure, abort.signal);
    const crop = run(PRIORITY.interaction);
    const said = () => doll.posted.map(({ kind, id }) => `${kind} ${id}`);
    expect(said()).toEqual(["run 1", "stop 1"]);
    const failure = { name: "Stopped", message: "", advice: "" };
    doll.say({ kind: "failed", id: 1, failure });
    expect(said().slice(2)).toEqual(["run 3"]);
    doll.say({ kind: "done", id: 3, result: "crop", ms: 1 });
    await expect(crop).resolves.toBe("crop");
    // Under a new id, before the measure that came after it.
    expect(said().slice(3)).toEqual(["run 4"]);
    doll.say({ kind: "done", id: 4, result: "measure", ms: 1 });
    await expect(measure).resolves.toBe("measure");
    // One that gives way and is not wanted any more meanwhile is begun no more.
    expect(said().slice(4)).toEqual(["run 2"]);
    const next = run(PRIORITY.interaction);
    expect(said().slice(5)).toEqual(["stop 2"]);
    abort.abort();
    doll.say({ kind: "failed", id: 2, failure });
    await expect(stoppedLater).rejects.toThrow(Stopped);
    const last = doll.posted[doll.posted.length - 1];
    expect(last.kind).toBe("run");
    doll.say({ kind: "done", id: last.id, result: "next", ms: 1 });
    await expect(next).resolves.toBe("next");
    // A stack is not interrupted.
    void run(PRIORITY.batch);
    void run(PRIORITY.interaction);
    expect(doll.posted[doll.posted.length - 1].kind).toBe("run");
  });

  test("a waiting job that is stopped never runs; a running one gets the flag, and its worker is replaced when it does not listen", async () => {
    jest.useFakeTimers();
    const dolls: ReturnType<typeof puppet>[] = [];
    const pool = new WorkerPool(1, () => {
      dolls.push(puppet());
      return dolls[dolls.length - 1].line;
    });
    const [first, second] = [new AbortController(), new AbortController()];
    const running = pool.run("crop", { treatment, region, reduce: 1 }, { signal: first.signal });
    const waiting = pool.run("crop", { treatment, region, reduce: 1 }, { signal: second.signal });
    second.abort();
    await expect(waiting).rejects.toThrow(Stopped);
    first.abort();
    expect(dolls[0].posted.map(({ kind }) => kind)).toEqual(["run", "stop"]);
    jest.advanceTimersByTime(900);
    await expect(running).rejects.toThrow(Stopped);
    expect(dolls[0].closed()).toBe(1);
    expect(dolls.length).toBe(2);
    const after = pool.run("crop", { treatment, region, reduce: 1 });
    dolls[1].say({ kind: "done", id: dolls[1].posted[0].id, result: "ok", ms: 1 });
    await expect(after).resolves.toBe("ok");
    jest.useRealTimers();
  });

  test("a dead worker rejects its job with what to do and is replaced; closing rejects the rest", async () => {
    const dolls: ReturnType<typeof puppet>[] = [];
    const pool = new WorkerPool(1, () => {
      dolls.push(puppet());
      return dolls[dolls.length - 1].line;
    });
    const job = pool.run("crop", { treatment, region, reduce: 1 });
    dolls[0].die("out of memory");
    await expect(job).rejects.toMatchObject({
      name: "WorkerDied",
      message: expect.stringContaining("out of memory"),
      advice: expect.stringMatching(/memory/),
    });
    const [a, b] = [
      pool.run("crop", { treatment, region, reduce: 1 }),
      pool.run("crop", { treatment, region, reduce: 1 }),
    ];
    pool.close();
    await expect(a).rejects.toThrow(Stopped);
    await expect(b).rejects.toThrow(Stopped);
    await expect(pool.run("crop", { treatment, region, reduce: 1 })).rejects.toThrow("closed");
    expect(() => new WorkerPool(0, () => puppet().line)).toThrow(RangeError);
  });

  test("messages that make no sense are ignored", async () => {
    const doll = puppet();
    const pool = new WorkerPool(1, () => doll.line);
    const fractions: number[] = [];
    const job = pool.run("crop", { treatment, region, reduce: 1 }, { onProgress: (f) => fractions.push(f) });
    doll.say("nonsense");
    doll.say({ kind: "done", id: 999, result: 1, ms: 1 });
    doll.say({ kind: "progress", id: doll.posted[0].id, fraction: 0.5 });
    doll.say({ kind: "done", id: doll.posted[0].id, result: 2, ms: 1 });
    await expect(job).resolves.toBe(2);
    expect(fractions).toEqual([0.5]);
  });
});

describe("small parts", () => {
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

test("workers that die before they are there are started twice and no more; what waits is told, and so is the page", async () => {
  const puppets: ReturnType<typeof puppet>[] = [];
  const pool = new WorkerPool(1, () => {
    const made = puppet();
    puppets.push(made);
    return made.line;
  });
  let told = "";
  pool.onBroken = ({ message }) => (told = message);
  const waiting = pool.run("crop", { treatment, region, reduce: 1 });
  puppets[0].die("404");
  await expect(waiting).rejects.toThrow("broke off");
  const next = pool.run("crop", { treatment, region, reduce: 1 });
  puppets[1].die("404");
  await expect(next).rejects.toThrow("the engine could not be started (404)");
  expect(puppets.length).toBe(2);
  expect(told).toContain("could not be started");
  await expect(pool.run("crop", { treatment, region, reduce: 1 })).rejects.toThrow("closed");
});
