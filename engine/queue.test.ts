/** @jest-environment node */
import { Stopped } from "@/core/job";
import type { FrameRef } from "./frames";
import { PRIORITY, WorkerPool } from "./pool";
import { puppet } from "./testing";

const picture: FrameRef = { id: "s", name: "s.fits", kind: "blob", blob: new Blob([]) };
const treatment = { picture, halves: null, fill: [0], fullScale: 1, steps: [], facts: [] };
const region = { x: 4, y: 5, width: 20, height: 10 };

test("a worker gets a fact with the first job that names it; so does one that comes in the place of a dead one", async () => {
  const dolls: ReturnType<typeof puppet>[] = [];
  const pool = new WorkerPool(1, () => {
    dolls.push(puppet());
    return dolls[dolls.length - 1].line;
  });
  const id = pool.keep([{ fwhmPx: 3 }]);
  expect(dolls[0].posted).toEqual([]);
  const named = { ...treatment, facts: [{ "psf@each": id }] };
  const ask = () => pool.run("crop", { treatment: named, region, reduce: 1 }).catch(() => undefined);
  const end = () => {
    const last = dolls[dolls.length - 1];
    last.say({ kind: "done", id: last.posted.at(-1)?.id, result: null, ms: 1 });
  };
  const kinds = (doll: ReturnType<typeof puppet>) => doll.posted.map(({ kind }) => kind);
  for (let k = 0; k < 2; k++) {
    const asked = ask();
    end();
    await asked;
  }
  expect(kinds(dolls[0])).toEqual(["keep", "run", "run"]);
  expect(dolls[0].posted[0]).toEqual({ kind: "keep", id, value: [{ fwhmPx: 3 }] });
  dolls[0].die("gone");
  void ask();
  expect(kinds(dolls[1])).toEqual(["keep", "run"]);
  expect(pool.keep([1])).not.toBe(id);
  expect(pool.valuesOf({ "psf@each": id })).toEqual({ "psf@each": [{ fwhmPx: 3 }] });
  expect(() => pool.valuesOf({ "psf@each": "none" })).toThrow("psf@each (none) is not known here");
});

test("facts are forgotten by bytes, what was used longest ago first, and never one that a waiting job names", () => {
  const doll = puppet();
  const pool = new WorkerPool(1, () => doll.line);
  const big = () => [["x".repeat(30 * 2 ** 20)]];
  const named = (id: string) => ({ ...treatment, facts: [{ "psf@each": id }] });
  const run = (id: string) => void pool.run("crop", { treatment: named(id), region, reduce: 1 }).catch(() => undefined);
  const [a, b] = [pool.keep(big()), pool.keep(big())];
  run(b);
  run(a);
  const c = pool.keep(big());
  expect([a, b, c].map((id) => pool.valueOf(id) !== undefined)).toEqual([true, false, true]);
  run(c);
  // The first job runs and the others wait; each finds its fact in the worker when its turn comes, which forgets the oldest for it.
  for (let k = 0; k < 3; k++) doll.say({ kind: "done", id: doll.posted.at(-1)?.id, result: null, ms: 1 });
  const told = doll.posted.map((message) =>
    `${message.kind} ${message.kind === "run" ? "" : String(message.id)}`.trim(),
  );
  expect(told).toEqual([`keep ${b}`, "run", `keep ${a}`, "run", `forget ${b}`, `keep ${c}`, "run"]);
});

describe("the queue", () => {
  test("takes the most urgent first, then the oldest", () => {
    const dolls = [puppet(), puppet()];
    let next = 0;
    const pool = new WorkerPool(2, () => dolls[next++].line);
    const run = (priority: 0 | 1 | 2 | 3) => void pool.run("crop", { treatment, region, reduce: 1 }, { priority });
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

  test("goes to the worker that had the last of its kind: first where that is free, only there where it waits for it", () => {
    const dolls = [puppet(), puppet()];
    let next = 0;
    const pool = new WorkerPool(2, () => dolls[next++].line);
    const run = (affinity: string, waitsForIt = false, priority: number = PRIORITY.view) =>
      void pool.run("crop", { treatment, region, reduce: 1 }, { priority, affinity, waitsForIt });
    const ran = () => dolls.map(({ posted }) => posted.map(({ id }) => id));
    const done = (worker: number, id: number) => dolls[worker].say({ kind: "done", id, result: null, ms: 1 });
    run("p"); // 1
    run("q"); // 2
    expect(ran()).toEqual([[1], [2]]);
    run("q", true); // 3 waits for the second worker
    run("r", false, PRIORITY.batch); // 4 does not
    done(0, 1);
    expect(ran()).toEqual([[1, 4], [2]]);
    done(1, 2);
    expect(ran()).toEqual([
      [1, 4],
      [2, 3],
    ]);
    run("p"); // 5: both are busy
    run("q"); // 6
    done(1, 3);
    // The older one's worker is busy, the younger one's is free.
    expect(ran()).toEqual([
      [1, 4],
      [2, 3, 6],
    ]);
    done(1, 6);
    // Rather elsewhere than not at all; from then on its place is there.
    expect(ran()).toEqual([
      [1, 4],
      [2, 3, 6, 5],
    ]);
    run("p", true); // 7
    done(0, 4);
    expect(ran()).toEqual([
      [1, 4],
      [2, 3, 6, 5],
    ]);
    done(1, 5);
    expect(ran()).toEqual([
      [1, 4],
      [2, 3, 6, 5, 7],
    ]);
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
    // One that is still being loaded is waited for: it is no slower than the one in its place would be.
    jest.advanceTimersByTime(20_000);
    expect(dolls.length).toBe(1);
    dolls[0].say({ kind: "ready", kernels: "twins" });
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

test("workers that die before they are there are started twice and no more; what waits hears of it, and so does the page", async () => {
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

test("jobs that are stopped while their workers are still being loaded never break the engine", async () => {
  jest.useFakeTimers();
  const dolls: ReturnType<typeof puppet>[] = [];
  const pool = new WorkerPool(1, () => {
    dolls.push(puppet());
    return dolls[dolls.length - 1].line;
  });
  pool.onBroken = ({ message }) => {
    throw new Error(message);
  };
  for (let round = 0; round < 4; round++) {
    const control = new AbortController();
    const job = pool.run("crop", { treatment, region, reduce: 1 }, { signal: control.signal });
    control.abort();
    jest.advanceTimersByTime(5000);
    const doll = dolls[dolls.length - 1];
    doll.say({ kind: "ready", kernels: "twins" });
    // It does not listen; another is loaded in its place.
    jest.advanceTimersByTime(900);
    await expect(job).rejects.toThrow(Stopped);
    expect([dolls.length, doll.closed()]).toEqual([round + 2, 1]);
  }
  jest.useRealTimers();
});
