/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { fireEvent, render, screen } from "@testing-library/react";
import { createStore } from "zustand/vanilla";
import { createJobs } from "@/state/jobs";
import type { ProjectSession } from "@/state/project";
import { newProject } from "@/state/shelf";
import type { SubRecord } from "@/storage";
import { SessionContext } from "../frame/session";
import { LightsFirst } from "./lightsFirst";

const NOTHING_KNOWN = {
  exposureS: null,
  temperatureC: null,
  gain: null,
  offset: null,
  binning: null,
  filter: null,
  camera: null,
  cfa: null,
};
const frame = (id: string, type: SubRecord["type"]) =>
  ({
    id,
    type,
    name: id,
    metadata: NOTHING_KNOWN,
    measures: {},
    measuredSize: {},
    width: 90,
    height: 80,
  }) as unknown as SubRecord;

function show(subs: SubRecord[], masters: { frames: string[] }[]) {
  const done: string[] = [];
  const say = (what: string) => () => Promise.resolve(void done.push(what));
  const session = {
    store: createStore(() => ({ subs, masters, project: newProject("Weir", false) })),
    jobs: createJobs(),
    calibration: { makeMasters: say("masters") },
    subs: { measureAgain: say("measure") },
  } as unknown as ProjectSession;
  render(
    <SessionContext.Provider value={session}>
      <LightsFirst lights={subs.filter(({ type }) => type === "light")} />
    </SessionContext.Provider>,
  );
  return done;
}

test("calibration frames without masters are named before lights are stacked without them, with the press that uses them", async () => {
  const done = show([frame("l", "light"), frame("d1", "dark"), frame("d2", "dark"), frame("f", "flat")], []);
  expect(screen.getByTestId("lights-first").textContent).toContain(
    "2 dark frames and 1 flat frame lie here, and no masters were made of them: the light would be stacked",
  );
  fireEvent.click(screen.getByText("Make 2 masters and calibrate"));
  await Promise.resolve();
  await Promise.resolve();
  expect(done).toEqual(["masters", "measure"]);
});

test("nothing is said where each frame has its master, and where there are no lights", () => {
  show([frame("l", "light"), frame("d1", "dark")], [{ frames: ["d1"] }]);
  expect(screen.queryByTestId("lights-first")).toBeNull();
  show([frame("d1", "dark")], []);
  expect(screen.queryByTestId("lights-first")).toBeNull();
});
