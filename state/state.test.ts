import { FACTS_VERSION } from "@/core/facts";
import { fc } from "@/core/testing/properties";
import { factsNeeded } from "@/core/chain";
import type { Warp } from "@/core/register";
import { IDENTITY, linear, mapPoint, shiftBy } from "@/core/register";
import { Stopped } from "@/core/job";
import type { WorkerPool } from "@/engine/pool";
import type { Board, StackRecord } from "@/storage";
import {
  addLane,
  addStep,
  bringBackLane,
  changeStep,
  copyChain,
  copyStep,
  duplicateLane,
  firstBoard,
  laneOnStack,
  moveLane,
  moveStep,
  nextLetter,
  pairOf,
  removeLane,
  removeStep,
  setStrengths,
  setVerdict,
  spotOf,
  verdictWords,
} from "./board";
import { keepRung, ladderValues, rungAsLane, rungsOf } from "./ladder";
import { amend, record, redo, startHistory, undo } from "./history";
import { createJobs, secondsLeft } from "./jobs";
import { overCommonSub, projectToStack } from "./stackFrames";
import type { Subject } from "./facts";
import { FactBook, outdatedFacts } from "./facts";

const stack = { id: "s", facts: { stars: 80, spots: [{ name: "Dark background", x: 5, y: 6 }] } } as StackRecord;
const board = (): Board => firstBoard(stack);

test("a first board sharpens stars where there are some whose width is measured, else the detail of surfaces", () => {
  const sharpens = (facts: Partial<StackRecord["facts"]>) =>
    firstBoard({ ...stack, facts: { ...stack.facts, ...facts } }).lanes[2].steps.map(({ operation }) => operation);
  expect(sharpens({ stars: 80, fwhmPx: 2.9 })).toEqual(["deconvolve.stars-apart"]);
  expect(sharpens({ stars: 80, fwhmPx: null })).toEqual(["deconvolve.energy-layers"]);
  expect(sharpens({ stars: 3, fwhmPx: 2.9 })).toEqual(["deconvolve.energy-layers"]);
});

test("a board of both orders has denoise before deconvolve as its last lane, beside the other way round", () => {
  const chains = firstBoard(stack, true).lanes.map(({ steps }) => steps.map(({ operation }) => operation));
  expect(chains.length).toBe(5);
  expect(chains[4]).toEqual([...chains[3]].reverse());
  expect(firstBoard(stack).lanes.length).toBe(4);
});

const same = <T>(state: T): T => state;

describe("history", () => {
  test("undo and redo give back every state, for any run of changes", () => {
    fc.assert(
      fc.property(fc.array(fc.integer(), { maxLength: 40 }), (values) => {
        let history = startHistory(-1);
        values.forEach((v, i) => (history = record(history, v, null, i * 5000)));
        // The same value again is no step.
        const states = [-1, ...values].filter((v, i, all) => i === 0 || v !== all[i - 1]);
        expect(history.present).toBe(states[states.length - 1]);
        for (const state of states.slice(0, -1).reverse()) expect((history = undo(history, same)).present).toBe(state);
        expect(undo(history, same)).toBe(history);
        for (const state of states.slice(1)) expect((history = redo(history, same)).present).toBe(state);
        expect(redo(history, same)).toBe(history);
      }),
    );
  });

  test("changes of one group in quick succession are one step; a pause or another group begins a new one", () => {
    let history = startHistory(0);
    history = record(history, 1, "slider", 0);
    history = record(history, 2, "slider", 500);
    history = record(history, 3, "slider", 2000);
    history = record(history, 4, "other", 2100);
    expect(history.past).toEqual([0, 2, 3]);
    expect(record(history, 4, "x", 9999)).toBe(history);
    expect(amend(history, 9).past).toEqual([0, 2, 3]);
    expect(undo(startHistory(1), same).present).toBe(1);
  });
});

describe("the board", () => {
  test("without stars, as on the Moon, nothing is set apart", () => {
    const moon = { ...stack, facts: { ...stack.facts, stars: 2 } };
    expect(firstBoard(moon).lanes[2].steps[0].operation).toBe("deconvolve.energy-layers");
  });

  test("begins with untouched, noise reduction, deconvolution and both", () => {
    const { lanes, spots } = board();
    expect(lanes.map(({ letter, steps }) => [letter, ...steps.map(({ operation }) => operation)])).toEqual([
      ["A"],
      ["B", "noise.mixture"],
      ["C", "deconvolve.stars-apart"],
      ["D", "deconvolve.stars-apart", "noise.mixture"],
    ]);
    expect(spots[0]).toMatchObject({ name: "Dark background", x: 5, y: 6 });
  });

  test("lanes are added, duplicated beside their source with ids of their own, and removed", () => {
    const start = board();
    const copied = duplicateLane(start, start.lanes[1].id);
    expect(copied.lanes.map(({ letter }) => letter)).toEqual(["A", "B", "E", "C", "D"]);
    expect(copied.lanes[2].steps[0].id).not.toBe(copied.lanes[1].steps[0].id);
    expect(copied.selectedLaneId).toBe(copied.lanes[2].id);
    const added = addLane(copied, "s");
    expect(added.lanes[5]).toMatchObject({ letter: "F", steps: [] });
    const removed = removeLane(added, added.lanes[5].id);
    expect(removed.lanes.length).toBe(5);
    expect(removed.selectedLaneId).toBe(removed.lanes[0].id);
    expect(
      nextLetter(Array.from({ length: 26 }, (_, k) => ({ ...start.lanes[0], letter: String.fromCharCode(65 + k) }))),
    ).toBe("A2");
  });

  test("steps are added, moved, changed and removed without touching other lanes", () => {
    let b = board();
    const lane = b.lanes[3];
    b = addStep(b, lane.id, "stretch.arcsinh");
    b = moveStep(b, lane.id, 2, 0);
    expect(b.lanes[3].steps.map(({ operation }) => operation)).toEqual([
      "stretch.arcsinh",
      "deconvolve.stars-apart",
      "noise.mixture",
    ]);
    b = changeStep(b, lane.id, lane.steps[0].id, { blend: 0.3 });
    expect(b.lanes[3].steps[1].blend).toBe(0.3);
    b = removeStep(b, lane.id, b.lanes[3].steps[0].id);
    expect(b.lanes[3].steps.length).toBe(2);
    expect(b.lanes[1].steps[0].blend).toBe(1);
    expect(() => addStep(b, lane.id, "no.such")).toThrow("unknown operation");
  });

  test("a ladder shows its lane at rising values, and keeps the one that is chosen", () => {
    expect(ladderValues(0.2, 0.8, 4, 0.01)).toEqual([0.2, 0.4, 0.6, 0.8]);
    expect(ladderValues(10, 33, 3, 1)).toEqual([10, 22, 33]);
    const start = board();
    const lane = start.lanes[1];
    const laddered = {
      ...start,
      ladder: { laneId: lane.id, stepId: lane.steps[0].id, field: "strength", values: [0.2, 0.5, 0.8], second: null },
    };
    expect(rungsOf(laddered).map(({ lane: rung }) => rung.steps[0].params.strength)).toEqual([0.2, 0.5, 0.8]);
    const kept = keepRung(laddered, 0.8);
    expect(kept.lanes[1].steps[0].params.strength).toBe(0.8);
    expect(kept.ladder).toBeNull();
    expect(rungsOf(start)).toEqual([]);
    const blended = { ...laddered, ladder: { ...laddered.ladder, field: "blend", values: [0, 0.5, 1] } };
    expect(rungsOf(blended)[1].lane.steps[0].blend).toBe(0.5);
    expect(ladderValues(1, 100, 3, 1, "ratio")).toEqual([1, 10, 100]);
    // Two settings as a grid, row by row; a rung of it kept, and one as a lane of its own.
    const second = { stepId: lane.steps[0].id, field: "blend", values: [0.3, 0.9] };
    const grid = { ...laddered, ladder: { ...laddered.ladder, second } };
    const rungs = rungsOf(grid);
    expect(rungs.map(({ value, second: of }) => [value, of])).toEqual([
      [0.2, 0.3],
      [0.5, 0.3],
      [0.8, 0.3],
      [0.2, 0.9],
      [0.5, 0.9],
      [0.8, 0.9],
    ]);
    expect(new Set(rungs.map(({ lane: rung }) => rung.id)).size).toBe(6);
    // The lane has strength 1 and blend 1: that corner of the grid comes first.
    expect([rungs[5].rank, rungs[0].rank]).toEqual([0, 5]);
    expect(rungs[5].lane.steps[0]).toMatchObject({ blend: 0.9, params: { strength: 0.8 } });
    expect(keepRung(grid, 0.5, 0.9).lanes[1].steps[0]).toMatchObject({ blend: 0.9, params: { strength: 0.5 } });
    const more = rungAsLane(grid, 0.5, 0.3);
    expect(more.lanes.length).toBe(start.lanes.length + 1);
    expect(more.lanes[2].steps[0]).toMatchObject({ blend: 0.3, params: { strength: 0.5 } });
    expect(more.lanes[1]).toEqual(lane);
    expect(more.ladder).toEqual(grid.ladder);
  });

  test("lanes change places, take over chains and steps, go on another stack, and come back when they were taken out", () => {
    const start = board();
    const [a, b, c] = start.lanes;
    expect(
      moveLane(start, b.id, a.id)
        .lanes.map(({ id }) => id)
        .slice(0, 3),
    ).toEqual([b.id, a.id, c.id]);
    expect(moveLane(start, a.id, undefined)).toBe(start);
    const words = ({ steps }: { steps: { operation: string }[] }) => steps.map(({ operation }) => operation);
    const copied = copyChain(start, b.id, c.id);
    expect(words(copied.lanes[2])).toEqual(words(b));
    expect(copied.lanes[2].steps[0].id).not.toBe(b.steps[0].id);
    expect(copyChain(start, b.id, null).lanes.every((lane) => words(lane).join() === words(b).join())).toBe(true);
    const stepped = copyStep(start, b.id, b.steps[0].id, null);
    expect(stepped.lanes.map(({ steps }) => steps.length)).toEqual([
      1,
      1,
      c.steps.length + 1,
      start.lanes[3].steps.length + 1,
    ]);
    const other = laneOnStack(start, b.id, "other");
    expect(other.lanes[2]).toMatchObject({ stackId: "other", letter: "E" });
    expect(words(other.lanes[2])).toEqual(words(b));
    const without = removeLane(start, b.id);
    expect(without.removed.map(({ letter }) => letter)).toEqual(["B"]);
    const back = bringBackLane(without, b.id);
    expect(back.lanes[3]).toEqual(b);
    expect(back.removed).toEqual([]);
    // Its letter was given away meanwhile.
    expect(bringBackLane(addLane(without, "s"), b.id).lanes[4].letter).toBe("E");
  });

  test("verdicts at spots and over all, in words", () => {
    const start = board();
    const [spot] = start.spots;
    let b = setVerdict(start, spot.id, { laneId: start.lanes[1].id });
    b = setVerdict(b, null, { laneId: start.lanes[2].id, note: "calmer" });
    expect([verdictWords(b, spot.id), verdictWords(b, null)]).toEqual(["lane B is best", "lane C is best: calmer"]);
    expect(verdictWords(start, null)).toBe("");
    expect(pairOf(b)?.map(({ letter }) => letter)).toEqual(["B", "A"]);
    expect(spotOf({ ...b, look: { ...b.look, spotId: "gone" } })).toBe(b.spots[0]);
  });

  test("several strengths are one change", () => {
    const start = board();
    const lane = start.lanes[1];
    const set = setStrengths(start, [
      { laneId: lane.id, stepId: lane.steps[0].id, strength: 0.42 },
      { laneId: "gone", stepId: "gone", strength: 1 },
    ]);
    expect(set.lanes[1].steps[0].params.strength).toBe(0.42);
    expect(set.lanes[0]).toEqual(start.lanes[0]);
  });
});

describe("jobs", () => {
  test("time left goes on as it went, once it is known", () => {
    expect(secondsLeft(0.01, 10_000)).toBeNull();
    expect(secondsLeft(0.5, 100)).toBeNull();
    expect(secondsLeft(0.25, 10_000)).toBeCloseTo(30, 9);
  });

  test("a job shows its progress and goes; a failed one stays until it is dismissed; a stopped one goes", async () => {
    const jobs = createJobs();
    const seen: number[] = [];
    jobs.store.subscribe(({ jobs: list }) => list[0] && seen.push(list[0].fraction));
    expect(await jobs.run("import", "a", ({ onProgress }) => (onProgress(0.4, "doing"), Promise.resolve(7)))).toBe(7);
    expect(seen).toContain(0.4);
    expect(jobs.store.getState().jobs).toEqual([]);
    expect(await jobs.run("import", "b", () => Promise.reject(new RangeError("broke")))).toBeNull();
    const [failed] = jobs.store.getState().jobs;
    expect(failed.error?.message).toBe("broke");
    jobs.dismiss(failed.id);
    const running = jobs.run(
      "stack",
      "c",
      ({ signal }) => new Promise((_, reject) => signal.addEventListener("abort", () => reject(new Stopped()))),
    );
    jobs.store.getState().jobs[0].stop();
    expect(await running).toBeNull();
    expect(jobs.store.getState().jobs).toEqual([]);
  });
});

describe("facts", () => {
  const subject = { picture: { id: "pic" }, halves: null, fill: [0] } as unknown as Subject;
  const make = () => {
    const asked: [number, string[]][] = [];
    const values: unknown[][] = [];
    const pool = {
      run: (_task: string, { index, keys }: { index: number; keys: string[] }) => (
        asked.push([index, keys]),
        Promise.resolve(Object.fromEntries(keys.map((key) => [key, [{ made: asked.length }]])))
      ),
      keep: (value: unknown[]) => `f${values.push(value)}`,
      valueOf: (id: string) => values[Number(id.slice(1)) - 1],
    } as unknown as WorkerPool;
    const saved: string[] = [];
    return { book: new FactBook(pool, ({ key }) => saved.push(key)), asked, saved, values };
  };
  const steps = () => board().lanes[3].steps;
  const [first, second] = steps().map(factsNeeded);

  test("are measured once, step by step, and kept by what they depend on", async () => {
    const { book, asked, saved } = make();
    const chain = steps();
    expect(book.lookUp(subject, chain)).toMatchObject({ complete: false, settled: false });
    const settled = await book.settle(subject, chain);
    await book.settle(subject, chain);
    expect(asked).toEqual([
      [0, first],
      [1, second],
    ]);
    expect(saved.length).toBe(first.length + second.length);
    expect(book.lookUp(subject, chain)).toEqual({ facts: settled, complete: true, settled: true });
  });

  test("that were stored serve again; those of an older way of telling are measured anew", async () => {
    const { book, asked, saved } = make();
    const chain = steps();
    await book.settle(subject, chain);
    const again = make();
    again.book.restore(saved.map((key) => ({ key, value: [1] })));
    await again.book.settle(subject, chain);
    expect(again.asked).toEqual([]);
    const older = make();
    const without = (key: string) => JSON.stringify((JSON.parse(key) as unknown[]).slice(0, 3));
    older.book.restore(saved.map((key) => ({ key: without(key), value: [1] })));
    await older.book.settle(subject, chain);
    expect(older.asked).toEqual(asked);
  });

  test("are shared by all who need the same: steps of other settings, other lanes, at the same time too", async () => {
    const { book, asked } = make();
    const [starlet] = steps();
    const [a, b] = await Promise.all([
      book.settle(subject, [starlet]),
      book.settle(subject, [{ ...starlet, params: { ...starlet.params, strength: 0.9 } }]),
    ]);
    expect(b).toEqual(a);
    expect(asked.length).toBe(1);
    await book.settle(subject, [{ ...starlet, channels: "each" }]);
    await book.settle({ ...subject, picture: { ...subject.picture, id: "other" } }, [starlet]);
    expect(asked.map(([index]) => index)).toEqual([0, 0, 0]);
  });

  test("a setting of a step keeps its own facts, and leaves later ones usable but not settled", async () => {
    const { book, asked } = make();
    const chain = steps();
    await book.settle(subject, chain);
    const changed = [{ ...chain[0], params: { ...chain[0].params, strength: 0.9 } }, chain[1]];
    expect(book.lookUp(subject, changed)).toMatchObject({ complete: true, settled: false });
    await book.settle(subject, changed);
    expect(asked.map(([index]) => index)).toEqual([0, 1, 1]);
  });

  test("what nobody waits for any more is stopped, what another waits for is not; a value that was forgotten is measured anew", async () => {
    const signals: AbortSignal[] = [];
    const kept = new Map<string, unknown[]>();
    const pool = {
      run: (_task: string, { keys }: { keys: string[] }, { signal }: { signal: AbortSignal }) =>
        new Promise((resolve, reject) => {
          signals.push(signal);
          signal.addEventListener("abort", () => reject(new Stopped()));
          setTimeout(() => resolve(Object.fromEntries(keys.map((key) => [key, [1]]))), 20);
        }),
      keep: (value: unknown[]) => (kept.set(`f${kept.size}`, value), `f${kept.size - 1}`),
      valueOf: (id: string) => kept.get(id),
    } as unknown as WorkerPool;
    const book = new FactBook(pool, () => undefined);
    const [chain] = [steps().slice(0, 1)];
    const [one, two] = [new AbortController(), new AbortController()];
    const asked = [one, two].map(({ signal }) =>
      book.settle(subject, chain, signal).catch((reason: unknown) => reason),
    );
    one.abort();
    expect(await asked[0]).toBeInstanceOf(Stopped);
    expect(signals.map(({ aborted }) => aborted)).toEqual([false]);
    two.abort();
    expect(await asked[1]).toBeInstanceOf(Stopped);
    expect(signals.map(({ aborted }) => aborted)).toEqual([true]);
    await book.settle(subject, chain);
    expect(book.lookUp(subject, chain).settled).toBe(true);
    kept.clear();
    expect(book.lookUp(subject, chain)).toMatchObject({ complete: false, settled: false });
    await book.settle(subject, chain);
    expect(signals.length).toBe(3);
  });

  test("in storage those of another version are outdated, and of too many those that were used longest ago", () => {
    const now = JSON.stringify(["s", [], "noise@together", FACTS_VERSION]);
    const before = JSON.stringify(["s", [], "noise@together", FACTS_VERSION - 1]);
    const fact = (key: string, usedAt: number, size = 1) => ({ key, usedAt, value: ["x".repeat(size)] });
    expect(outdatedFacts([fact(now, 1), fact(before, 9)])).toEqual([before]);
    const large = ["a", "b", "c"].map((id, k) => fact(now.replace("s", id), k, 10 * 2 ** 20));
    expect(outdatedFacts(large)).toEqual([large[0].key]);
  });

  test("one from storage is stored as used when it is, once", async () => {
    const first = make();
    const chain = steps();
    await first.book.settle(subject, chain);
    const again = make();
    again.book.restore(first.saved.map((key) => ({ key, value: [1] })));
    expect(again.saved).toEqual([]);
    again.book.lookUp(subject, chain.slice(0, 1));
    again.book.lookUp(subject, chain.slice(0, 1));
    expect(again.saved.length).toBe(factsNeeded(chain[0]).length);
  });

  test("steps that are off have none; stored ones are taken over; a failure is reported and tried again", async () => {
    const { book, saved } = make();
    const chain = steps().map((step, i) => ({ ...step, on: i === 1 }));
    await book.settle(subject, chain);
    const other = make();
    other.book.restore(saved.map((key) => ({ key, value: [{ made: 5 }] })));
    const { facts, ...known } = other.book.lookUp(subject, chain);
    expect(known).toEqual({ complete: true, settled: true });
    expect([Object.keys(facts[0]), Object.keys(facts[1]).sort()]).toEqual([[], [...second].sort()]);
    expect(other.values).toEqual(second.map(() => [{ made: 5 }]));

    let broken = true;
    const pool = {
      run: (_task: string, { keys }: { keys: string[] }) =>
        broken ? Promise.reject(new Error("gone")) : Promise.resolve(Object.fromEntries(keys.map((key) => [key, [1]]))),
      keep: () => "f",
      valueOf: () => [1],
    } as unknown as WorkerPool;
    const third = new FactBook(pool, () => undefined);
    await expect(third.settle(subject, chain)).rejects.toThrow("gone");
    broken = false;
    expect((await third.settle(subject, chain))[1]).toMatchObject({ [second[0]]: "f" });
  });
});

test("stacks are tied by a sub that is in both, or as was found when they were made; else they are not tied", () => {
  const of = (id: string, toReference: Warp | null, toProject: Warp | null = null) => ({
    id,
    toProject,
    report: { subs: [{ id: "x", toReference }] },
  });
  const [a, b] = [of("a", shiftBy(5, 0)), of("b", shiftBy(-3, 2))];
  expect(overCommonSub(a, b)).toEqual(shiftBy(-8, 2));
  expect(projectToStack(a, b)).toEqual(shiftBy(-8, 2));
  expect(projectToStack(a, a)).toEqual(IDENTITY);
  const half = projectToStack(a, of("c", null, linear([2, 0, 0, 0, 2, 0])));
  expect(half && mapPoint(half, 3, -8)).toEqual([1.5, -4]);
  const moved = projectToStack(of("e", null, shiftBy(3, 0)), of("e", null, shiftBy(3, 0)));
  expect(moved && mapPoint(moved, 3, 0)[0]).toBe(0);
  expect(projectToStack(a, of("d", null))).toBeNull();
});
