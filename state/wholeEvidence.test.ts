import { Stopped, UserError } from "@/core/job";
import type { Region } from "@/core/raster";
import type { WorkerPool } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { createJobs } from "./jobs";
import { WholeEvidenceBook, wholeKey } from "./wholeEvidence";

const TREATMENT = { picture: { id: "stack" }, halves: {}, steps: [], facts: [] } as unknown as Treatment;
/** Two tiles of 512 px. */
const FACTS = { width: 1024, height: 512, fwhmPx: 3 };

const tile = (region: Region) => ({
  region,
  isBlurred: false,
  noise: { before: [1], left: [0.5] },
  error: 0.5,
  lostShare: 0,
  stars: [],
  unsupportedShare: region.x === 0 ? 0.25 : 0,
  unsupported: new Float32Array(region.width * region.height),
});

function bench() {
  const tiles: { end: () => void; fail: (error: unknown) => void; signal: AbortSignal }[] = [];
  const run = (_: string, { region }: { region: Region }, { signal }: { signal: AbortSignal }) =>
    new Promise((resolve, reject) => tiles.push({ end: () => resolve(tile(region)), fail: reject, signal }));
  const jobs = createJobs();
  const book = new WholeEvidenceBook({ run } as unknown as WorkerPool, jobs);
  const state = () => book.store.getState()[wholeKey(TREATMENT)];
  return { tiles, jobs, book, state, begin: () => book.begin(TREATMENT, FACTS, "lane B") };
}

const settled = () => new Promise((resolve) => setTimeout(resolve));

test("evidence of a whole picture is begun once, says how far it is, and stays", async () => {
  const { tiles, jobs, book, state, begin } = bench();
  const told = begin();
  await begin();
  expect(tiles.length).toBe(2);
  expect(state()).toMatchObject({ share: 0 });
  expect(jobs.store.getState().jobs.map(({ label }) => label)).toEqual(["Evidence for the whole picture of lane B"]);
  tiles[0].end();
  await settled();
  expect(state()).toMatchObject({ share: 0.5 });
  tiles[1].end();
  await told;
  expect(state()).toMatchObject({ found: { unsupportedShare: 0.125, error: 0.5 } });
  expect(jobs.isRunning()).toBe(false);
  await begin();
  expect(tiles.length).toBe(2);
  expect(Object.keys(book.store.getState()).length).toBe(1);
});

test("stopped, it is as if it had not been begun, though a tile answers after", async () => {
  const { tiles, state, begin } = bench();
  const told = begin();
  const running = state();
  if (!("stop" in running)) throw new Error("it is on its way");
  running.stop();
  expect(tiles.every(({ signal }) => signal.aborted)).toBe(true);
  tiles[0].fail(new Stopped());
  await told;
  tiles[1].end();
  await settled();
  expect(state()).toBeUndefined();
});

test("a failure stays on show with its lane, and can be tried again", async () => {
  const { tiles, jobs, state, begin } = bench();
  const told = begin();
  tiles[0].fail(new UserError("a half cannot be read", "Bring it in again."));
  await told;
  // The other tile is told to stop, and says no more if it had ended already.
  expect(tiles[1].signal.aborted).toBe(true);
  tiles[1].end();
  await settled();
  expect(state()).toBeUndefined();
  expect(jobs.store.getState().jobs).toMatchObject([
    { label: "Evidence for the whole picture of lane B", error: { advice: "Bring it in again." } },
  ]);
  void begin();
  expect(tiles.length).toBe(4);
});
