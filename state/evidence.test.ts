import type { Evidence, Support, WholeViews } from "@/core/compare";
import { Stopped } from "@/core/job";
import type { WorkerPool } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { EvidenceBook } from "./evidence";

const [PLACE, NEAR] = [192, 96].map((side) => ({ x: 0, y: 0, width: side, height: side }));
const FACTS = { fwhmPx: 3 };
const TREATMENT = { picture: { id: "stack" }, halves: {}, steps: [], facts: [] } as unknown as Treatment;

/** A pool that notes what it is asked for, in order; what is asked of evidence waits until it is let go. */
function notingPool(whole: Partial<WholeViews> = { blur: null }) {
  const asked: string[] = [];
  const payloads: object[] = [];
  const ends = new Map<string, (value: unknown) => void>();
  const run = (task: string, payload: { region: { width: number }; source?: string }) => {
    payloads.push(payload);
    asked.push([task, payload.source, payload.region.width].filter((part) => part !== undefined).join(" "));
    return task === "support" || task === "evidence"
      ? new Promise((resolve) => ends.set(task, resolve))
      : Promise.resolve(task === "evidenceWhole" ? whole : task);
  };
  const until = async (task: string) => {
    while (!ends.has(task)) await new Promise((resolve) => setTimeout(resolve));
  };
  return {
    asked,
    payloads,
    until,
    end: (task: string, value: unknown) => ends.get(task)?.(value),
    book: new EvidenceBook({ run, size: 2 } as unknown as WorkerPool),
  };
}

const ALL = [
  "evidenceWhole 192",
  "evidenceSource a 192",
  "evidenceSource b 192",
  "evidenceSource plus 192",
  "evidenceSource minus 192",
  "evidence 192",
];
const FIRST = ["evidenceWhole 96", "evidenceSource plus 96", "support 96"];

test("light and stars of the middle are measured first, of two runs; then all of it, once", async () => {
  const { asked, until, end, book } = notingPool();
  const told: unknown[] = [];
  const ask = () => book.ask(TREATMENT, PLACE, FACTS, { near: NEAR, onFirst: (support) => void told.push(support) });
  const made = ask();
  await until("support");
  expect(asked).toEqual(FIRST);
  end("support", "first" as unknown as Support);
  await until("evidence");
  expect(told).toEqual(["first"]);
  expect(asked).toEqual([...FIRST, ...ALL]);
  // Whoever comes while the rest is made has the first part at once.
  const second = ask();
  await new Promise((resolve) => setTimeout(resolve));
  expect(told).toEqual(["first", "first"]);
  end("evidence", "all" as unknown as Evidence);
  expect(await Promise.all([made, second])).toEqual(["all", "all"]);
  expect(await ask()).toBe("all");
  expect([told.length, asked.length]).toEqual([2, FIRST.length + ALL.length]);
});

test("two workers make one first part after the other, that of who asked first", async () => {
  const { asked, until, end, book } = notingPool();
  const at = (x: number, side: number) => ({ x, y: 0, width: side, height: side });
  const places = [0, 1].map((x) =>
    book.ask(TREATMENT, at(x, 192), FACTS, { near: at(x, 96), onFirst: () => undefined }),
  );
  await until("support");
  expect(asked).toEqual(FIRST);
  end("support", null);
  await until("evidence");
  expect(asked.slice(3)).toEqual(expect.arrayContaining([...FIRST, ...ALL]));
  end("evidence", "all");
  expect(await places[0]).toBe("all");
});

test("a lane that takes blur away is also given its own answer, once it is there", async () => {
  const blur = {
    psf: { size: 1, values: Float32Array.of(1) },
    tolerance: 0.02,
    ownWays: 0.2,
    untouchedShare: null,
    hidden: 1,
  };
  const whole = { blur, isLinear: true, before: Float32Array.of(1, 2), told: Float32Array.of(1, 5) };
  const { asked, payloads, until, end, book } = notingPool(whole);
  const made = book.ask(TREATMENT, PLACE, FACTS, { near: NEAR, onFirst: () => undefined });
  await until("support");
  // Not for the first part: that would take a run more.
  expect(asked).toEqual(FIRST);
  end("support", "first" as unknown as Support);
  await until("evidence");
  expect(asked.slice(FIRST.length)).toEqual([...ALL.slice(0, -1), "evidenceAnswer 192", ...ALL.slice(-1)]);
  expect(payloads.find((payload) => "light" in payload)).toMatchObject({ light: Float32Array.of(0, 3) });
  end("evidence", "all" as unknown as Evidence);
  expect(await made).toBe("all");
});

test("whoever gives up after the first part asks for no more; a stack without halves has nothing to tell", async () => {
  const { asked, until, end, book } = notingPool();
  const [leaves, stays] = [new AbortController(), new AbortController()];
  const told: unknown[] = [];
  const ask = ({ signal }: AbortController) =>
    book.ask(TREATMENT, PLACE, FACTS, { near: NEAR, signal, onFirst: (support) => void told.push(support) });
  const left = ask(leaves);
  void ask(stays);
  await until("support");
  leaves.abort();
  end("support", "first" as unknown as Support);
  await expect(left).rejects.toBeInstanceOf(Stopped);
  await until("evidence");
  expect(told).toEqual(["first"]);
  expect(asked).toEqual([...FIRST, ...ALL]);
  expect(await book.ask({ ...TREATMENT, halves: null }, PLACE, FACTS)).toBeNull();
});
