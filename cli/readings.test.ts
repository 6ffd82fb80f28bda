import { mkdtempSync, rmSync, utimesSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createNodePool } from "@/engine/node/pool";
import { NO_READINGS, readingFolder } from "./readings";
import { withSubs } from "./subs";
import { dunkel } from "./testing";

/** Subs of a stack that goes on are not measured again. */
const folder = mkdtempSync(join(tmpdir(), "dunkel-readings-"));
const pool = createNodePool(
  { worker: "./dist/worker.mjs", kernels: "./dist/kernels.wasm", assets: "./dist/assets" },
  1,
);
afterAll(() => {
  pool.close();
  rmSync(folder, { recursive: true });
});

test("a sub is measured once, and again when its file or its calibration changed", async () => {
  const { files } = dunkel<{ files: string[] }>(
    "simulate",
    "--raw",
    "--cfa",
    "RGGB",
    "--subs",
    "3",
    "--darks",
    "0",
    "--flats",
    "0",
    "--bias",
    "3",
    "--size",
    "320x240",
    "--out",
    folder,
  );
  const paths = files.filter((name) => name.startsWith("light-")).map((name) => join(folder, name));
  const run = jest.spyOn(pool, "run");
  const readings = readingFolder(join(folder, "s.strips"));
  const measured = async (store = readings, options = {}) => {
    run.mockClear();
    const facts = await withSubs(pool, paths, options, store, (subs) => Promise.resolve(subs.map((sub) => sub.facts)));
    return { facts, runs: run.mock.calls.filter(([task]) => task === "measureSub").length };
  };
  const first = await measured();
  expect(first.runs).toBe(3);
  expect(first.facts.every(({ stars }) => stars.length > 10)).toBe(true);
  const second = await measured();
  expect(second.runs).toBe(0);
  expect(second.facts).toEqual(first.facts);
  utimesSync(paths[1], new Date(), new Date(Date.now() + 5000));
  const third = await measured();
  expect(third.runs).toBe(1);
  expect(third.facts.map(({ measures }) => measures)).toEqual(first.facts.map(({ measures }) => measures));
  expect((await measured(readings, { demosaic: "bilinear" })).runs).toBe(3);
  expect((await measured(NO_READINGS)).runs).toBe(3);
});
