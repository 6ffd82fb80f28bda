/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import type { Evidence, Support } from "@/core/compare";
import { UserError } from "@/core/job";
import type { Region } from "@/core/raster";
import { IDENTITY } from "@/core/register";
import type { Treatment } from "@/engine/tasks/crop";
import type { ProjectSession } from "@/state/project";
import type { StackRecord, View } from "@/storage";
import { SessionContext } from "../frame/session";
import { REST_MS, useEvidence } from "./useEvidence";

/** One who asks for evidence: what was asked of the book, and how it answers. */
interface Asked {
  region: Region;
  near?: Region;
  signal: AbortSignal;
  first(support: Support): void;
  end(evidence: Evidence | null): void;
  fail(error: unknown): void;
}

const STACK = { facts: { width: 400, height: 300 } } as unknown as StackRecord;
const SPOT = { id: "one", name: "One", x: 200, y: 150 };
const treatmentOf = (strength: number) =>
  ({ picture: { id: "stack" }, halves: {}, steps: [strength], facts: [] }) as unknown as Treatment;

function bench() {
  const asked: Asked[] = [];
  const ask = (
    _: Treatment,
    region: Region,
    __: unknown,
    { near, signal, onFirst }: { near?: Region; signal: AbortSignal; onFirst: (support: Support) => void },
  ) => new Promise<Evidence | null>((end, fail) => asked.push({ region, near, signal, first: onFirst, end, fail }));
  const fake = { evidence: { ask } } as unknown as ProjectSession;
  const wrapper = ({ children }: { children: ReactNode }) => (
    <SessionContext.Provider value={fake}>{children}</SessionContext.Provider>
  );
  const view = (panX: number) => ({ panX, panY: 0 }) as View;
  const hook = renderHook(
    ({ strength, panX }) => useEvidence(treatmentOf(strength), STACK, SPOT, view(panX), IDENTITY),
    { wrapper, initialProps: { strength: 1, panX: 0 } },
  );
  const rest = () => act(() => jest.advanceTimersByTimeAsync(REST_MS));
  return { asked, hook, rest };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

test("the middle is measured first, then all; what is of before says so until the present is there", async () => {
  const { asked, hook, rest } = bench();
  expect(asked).toEqual([]); // settings and view must rest
  await rest();
  expect(asked.length).toBe(1);
  expect(asked[0].near).toMatchObject({ width: 96, height: 96 });
  const [first, all] = [{ lostShare: 1 } as Support, { lostShare: 2 } as Evidence];
  act(() => asked[0].first(first));
  expect(hook.result.current).toMatchObject({ support: first, isCurrent: true, evidence: null, isComplete: false });
  await act(async () => asked[0].end(all));
  expect(hook.result.current).toMatchObject({ support: all, evidence: all, isComplete: true });
  hook.rerender({ strength: 2, panX: 0 });
  expect(hook.result.current).toMatchObject({ support: all, isCurrent: false, evidence: all, isComplete: false });
  await rest();
  hook.rerender({ strength: 3, panX: 0 });
  expect(asked.map(({ signal }) => signal.aborted)).toEqual([true, true]);
});

test("panned so far that the middle lies beyond the border, all of it is asked for without a first part; farther, nothing", async () => {
  const { asked, hook, rest } = bench();
  hook.rerender({ strength: 1, panX: 250 });
  await rest();
  expect(asked.length).toBe(1);
  expect(asked[0].near).toBeUndefined();
  expect(asked[0].region.width).toBeLessThan(96);
  hook.rerender({ strength: 1, panX: 400 });
  await rest();
  expect(asked.length).toBe(1);
});

test("an error of earlier settings is none of the present ones", async () => {
  const { asked, hook, rest } = bench();
  await rest();
  await act(async () => asked[0].fail(new UserError("the stack is gone", "Open it again.")));
  expect(hook.result.current.error).toContain("the stack is gone");
  hook.rerender({ strength: 2, panX: 0 });
  expect(hook.result.current.error).toBeNull();
  await rest();
  act(() => asked[1].first({ lostShare: 1 } as Support));
  expect(hook.result.current).toMatchObject({ isCurrent: true, error: null });
});
