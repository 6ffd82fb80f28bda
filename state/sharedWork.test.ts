import { Stopped } from "@/core/job";
import { SharedWork } from "./sharedWork";

/** Work that ends when it is told to, and says whether it was stopped. */
function slow() {
  const signals: AbortSignal[] = [];
  const ends: ((value: number) => void)[] = [];
  const work = (signal: AbortSignal) => {
    signals.push(signal);
    return new Promise<number>((resolve, reject) => {
      ends.push(resolve);
      signal.addEventListener("abort", () => reject(new Error("stopped")));
    });
  };
  return { work, signals, ends };
}

test("asked for twice it is done once, and kept", async () => {
  const { work, signals, ends } = slow();
  const shared = new SharedWork<number>(4);
  const both = [shared.ask("k", work), shared.ask("k", work)];
  ends[0](7);
  expect(await Promise.all(both)).toEqual([7, 7]);
  expect(await shared.ask("k", work)).toBe(7);
  expect(signals.length).toBe(1);
});

test("it stops when the last one who waited leaves, and not before; then it can be asked for again", async () => {
  const { work, signals, ends } = slow();
  const shared = new SharedWork<number>(4);
  const [one, two] = [new AbortController(), new AbortController()];
  const asked = [shared.ask("k", work, one.signal), shared.ask("k", work, two.signal)];
  asked.forEach((promise) => void promise.catch(() => undefined));
  one.abort();
  expect(signals[0].aborted).toBe(false);
  two.abort();
  expect(signals[0].aborted).toBe(true);
  for (const each of asked) await expect(each).rejects.toThrow(Stopped);
  const again = shared.ask("k", work);
  ends[1](8);
  expect(await again).toBe(8);
});

test("what is done is not lost when those who asked leave; what failed is tried again", async () => {
  const { work, ends, signals } = slow();
  const shared = new SharedWork<number>(4);
  const gone = new AbortController();
  const asked = shared.ask("k", work, gone.signal);
  ends[0](1);
  await asked;
  gone.abort();
  expect(await shared.ask("k", work)).toBe(1);
  expect(signals.length).toBe(1);
  await expect(shared.ask("x", () => Promise.reject(new Error("no")))).rejects.toThrow("no");
  expect(await shared.ask("x", () => Promise.resolve(2))).toBe(2);
});

test("for a signal that is aborted already nothing is begun; without a memory what was made is made again", async () => {
  const { work, signals, ends } = slow();
  const shared = new SharedWork<number>(0);
  const gone = new AbortController();
  gone.abort();
  await expect(shared.ask("k", work, gone.signal)).rejects.toThrow(Stopped);
  expect(signals.length).toBe(0);
  const both = [shared.ask("k", work), shared.ask("k", work)];
  ends[0](3);
  expect(await Promise.all(both)).toEqual([3, 3]);
  void shared.ask("k", work);
  expect([signals.length, shared.isDone("k")]).toEqual([2, false]);
});
