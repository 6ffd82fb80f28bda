import type { Claims } from "./claims";
import { browserClaims } from "./claims";
import { Sessions } from "./sessions";
import { newProject } from "./shelf";
import type { TestBench } from "./testing";
import { testBench } from "./testing";

/** Locks as the browser gives them, for tabs that share a page here (Web Locks, W3C, from memory). */
function fakeLocks(): LockManager {
  const held = new Map<string, { lose: (reason: Error) => void }>();
  const waiting = new Map<string, (() => void)[]>();
  const request = async (
    name: string,
    options: LockOptions,
    work: (lock: Lock | null) => unknown,
  ): Promise<unknown> => {
    if (options.steal) {
      held.get(name)?.lose(new DOMException("stolen", "AbortError"));
      held.delete(name);
    } else if (held.has(name)) {
      if (options.ifAvailable) return work(null);
      await new Promise<void>((resolve, reject) => {
        waiting.set(name, [...(waiting.get(name) ?? []), resolve]);
        options.signal?.addEventListener("abort", () => reject(new DOMException("timed out", "AbortError")));
      });
    }
    const own = { lose: (_: Error) => undefined as void };
    held.set(name, own);
    const lost = new Promise<never>((_, reject) => (own.lose = reject));
    try {
      return await Promise.race([Promise.resolve(work({ name, mode: "exclusive" })), lost]);
    } finally {
      if (held.get(name) === own) held.delete(name);
      waiting.get(name)?.shift()?.();
    }
  };
  return { request, query: () => Promise.resolve({}) } as unknown as LockManager;
}

let bench: TestBench;
const project = newProject("Weir", false);
beforeAll(async () => {
  bench = await testBench("sessions-test");
  await bench.repository.addProject(project);
});
afterAll(() => bench.close());

const channels: BroadcastChannel[] = [];
afterAll(() => channels.forEach((channel) => channel.close()));
const tab = (locks: LockManager): Sessions => {
  const channel = new BroadcastChannel("dunkel-test");
  channels.push(channel);
  return new Sessions(bench.pool, bench.repository, browserClaims(locks, channel));
};
const stateOf = (sessions: Sessions) => sessions.store.getState()[project.id];

test("a project has one session in a page, which is there again when its screen is", async () => {
  const sessions = tab(fakeLocks());
  await Promise.all([sessions.open(project.id), sessions.open(project.id)]);
  const session = sessions.get(project.id);
  expect(session?.project.name).toBe("Weir");
  await sessions.open(project.id);
  expect(sessions.get(project.id)).toBe(session);
  const working = session?.jobs.run(
    "import",
    "Importing",
    ({ signal }) => new Promise<void>((resolve) => signal.addEventListener("abort", () => resolve())),
  );
  expect(sessions.isBusy()).toBe(true);
  sessions.drop(project.id);
  await working;
  expect(sessions.isBusy()).toBe(false);
  expect(sessions.get(project.id)).toBeNull();
  await sessions.open("nowhere");
  expect(sessions.store.getState().nowhere).toEqual({ absence: "missing", following: null });
});

test("of two tabs one works on a project; the other may take it over, and the first lets go with all written", async () => {
  const locks = fakeLocks();
  const [first, second] = [tab(locks), tab(locks)];
  await first.open(project.id);
  await second.open(project.id);
  expect(stateOf(second)).toMatchObject({ absence: "elsewhere" });
  const flushed = jest.spyOn(first.get(project.id)?.board ?? fail(), "flush");
  await second.open(project.id, true);
  expect(second.get(project.id)).not.toBeNull();
  expect(flushed).toHaveBeenCalled();
  expect(stateOf(first)).toMatchObject({ absence: "taken" });
  await first.open(project.id);
  expect(stateOf(first)).toMatchObject({ absence: "elsewhere" });
  second.close();
  await new Promise((resolve) => setTimeout(resolve, 10)); // the lock is let go of
  await first.open(project.id);
  expect(first.get(project.id)).not.toBeNull();
  first.close();
});

test("a tab that does not have the project shows it as it is and as it becomes, and writes nothing", async () => {
  const locks = fakeLocks();
  const [first, second] = [tab(locks), tab(locks)];
  await first.open(project.id);
  await second.open(project.id);
  const following = await soon(() => {
    const state = stateOf(second);
    return "absence" in state ? state.following : null;
  });
  expect(second.get(project.id)).toBeNull();
  following.saveProject({ name: "Overwritten" });
  first.get(project.id)?.saveProject({ integrationS: 77 });
  second.hear();
  await soon(() => following.project.integrationS === 77);
  expect(following.project.name).toBe("Weir");
  expect(await bench.repository.project(project.id)).toMatchObject({ ok: true, value: { name: "Weir" } });
  await bench.repository.markDeleted(project.id, true);
  second.hear();
  await soon(() => {
    const state = stateOf(second);
    return "absence" in state && state.absence === "missing";
  });
  await bench.repository.markDeleted(project.id, false);
  first.close();
  second.close();
});

test("a tab that does not answer loses its project", async () => {
  const locks = fakeLocks();
  let lost = 0;
  const silent: Claims = browserClaims(locks, new EventTarget() as BroadcastChannel);
  await silent.claim(project.id, false, () => lost++);
  const sessions = tab(locks);
  await sessions.open(project.id, true);
  expect(sessions.get(project.id)).not.toBeNull();
  expect(lost).toBe(1);
  sessions.close();
});

test("a project that storage does not give out says so, and can be opened once it does", async () => {
  const sessions = tab(fakeLocks());
  const { board } = bench.repository;
  bench.repository.board = () => Promise.reject(new Error("the database is gone"));
  await sessions.open(project.id);
  expect(stateOf(sessions)).toEqual({
    absence: "unreadable",
    following: null,
    reason: expect.stringContaining("the database is gone"),
  });
  bench.repository.board = board;
  await new Promise((resolve) => setTimeout(resolve, 10)); // the lock is let go of
  await sessions.open(project.id);
  expect(sessions.get(project.id)).not.toBeNull();
  sessions.close();
});

/** Waits, two seconds at most, for something to be there. */
async function soon<T>(find: () => T | null | false): Promise<T> {
  for (let i = 0; i < 100; i++) {
    const found = find();
    if (found) return found;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  return fail();
}

const fail = (): never => {
  throw new Error("it is not there");
};
