/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { createStore } from "zustand/vanilla";
import { createRaster } from "@/core/raster";
import type { FlipPayload } from "@/engine/tasks/flip";
import { PRIORITY } from "@/engine/pool";
import type { ProjectSession, ProjectState } from "@/state/project";
import type { SubRecord } from "@/storage";
import { SessionContext } from "../frame/session";
import type { FlipView, Prepared } from "./useFlip";
import { useFlip } from "./useFlip";

jest.useFakeTimers();

const subs = Array.from({ length: 5 }, (_, k) => ({
  id: `s${k}`,
  relation: null,
  measuredSize: { width: 8, height: 6, channels: 1 },
})) as unknown as SubRecord[];
const region = { x: 0, y: 0, width: 8, height: 6 };

/** A session whose flips the test can count and fail. */
function bench(fails: (id: string) => boolean = () => false) {
  const asked: { id: string; priority: unknown; registered: boolean }[] = [];
  const run = (_task: string, { frame, relation }: FlipPayload, { priority }: { priority: unknown }) => {
    asked.push({ id: frame.id, priority, registered: relation !== null });
    if (fails(frame.id)) return Promise.reject(new Error(`${frame.id} is missing`));
    const raster = createRaster(8, 6, 1);
    raster.planes[0].fill(Number(frame.id.slice(1)));
    return Promise.resolve(raster);
  };
  const session = {
    store: createStore(() => ({ project: { calibration: {} } }) as unknown as ProjectState),
    pool: { run },
    calibration: { shownKey: ({ id }: SubRecord) => id, shownFrame: ({ id }: SubRecord) => Promise.resolve({ id }) },
  } as unknown as ProjectSession;
  const told: (Prepared | null)[] = [];
  const onPrepared = (prepared: Prepared | null) => void told.push(prepared);
  const wrapper = ({ children }: { children: ReactNode }) => (
    <SessionContext.Provider value={session}>{children}</SessionContext.Provider>
  );
  const view = (at: number): FlipView => ({ order: subs, current: subs[at], registered: true, size: region });
  const hook = renderHook(
    ({ at }: { at: number }) => {
      const useRegion = useFlip(view(at), onPrepared);
      return useRegion(region, 1, true);
    },
    { initialProps: { at: 2 }, wrapper },
  );
  return { asked, told, ...hook };
}

const rest = (ms: number) => act(() => jest.advanceTimersByTimeAsync(ms));

test("the current frame is asked for first; once the view rests the others follow, nearest first, and flipping asks for nothing", async () => {
  const { asked, told, result, rerender } = bench();
  await rest(0);
  expect(asked.map(({ id }) => id)).toEqual(["s2"]);
  expect(result.current.shown?.raster.planes[0][0]).toBe(2);
  await rest(500);
  expect(asked.map(({ id }) => id)).toEqual(["s2", "s1", "s3", "s0", "s4"]);
  expect(asked.map(({ priority }) => priority)).toEqual([PRIORITY.view, ...Array<number>(4).fill(PRIORITY.batch)]);
  expect(told.at(-1)).toEqual({ ready: 5, of: 5 });
  rerender({ at: 3 });
  expect(result.current).toMatchObject({ pending: false });
  expect(result.current.shown?.raster.planes[0][0]).toBe(3);
  await rest(500);
  expect(asked.length).toBe(5);
});

test("a frame that cannot be read says so when it is looked at, and the one before stays; preparing ends quietly", async () => {
  const { told, result, rerender } = bench((id) => id === "s3");
  await rest(500);
  expect(told.at(-1)).toBeNull();
  expect(result.current.error).toBeNull();
  rerender({ at: 3 });
  await rest(0);
  expect(result.current.error?.message).toBe("s3 is missing");
  expect(result.current.shown?.raster.planes[0][0]).toBe(2);
});
