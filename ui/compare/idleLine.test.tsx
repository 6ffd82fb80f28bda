/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, render, screen } from "@testing-library/react";
import { createStore } from "zustand/vanilla";
import type { ChainStep } from "@/core/chain";
import { factsNeeded, newStep } from "@/core/chain";
import type { AnyOperation } from "@/core/operations";
import { findOperation } from "@/core/operations";
import type { ProjectSession } from "@/state/project";
import type { Board, Lane } from "@/storage";
import { SessionContext } from "../frame/session";
import { IdleLine } from "./idleLine";
import { PsfPanel } from "./psfPanel";

const LAYERS = findOperation("deconvolve.energy-layers") as AnyOperation;

/** Facts of a picture of one channel; the fine detail shows this blur. */
const facts = (fwhmPx: number | null): Record<string, unknown> => ({
  detailBlur: { fwhmPx },
  noiseModel: {
    models: [{ zero: 0, a: 1e-6, b: 0, c: 0 }],
    covariance: [new Array(289).fill(0)],
    from: "halves",
    removed: [1],
  },
  levels: { level: [0.1], sigma: [0.01], white: 1 },
  noise: { scales: [[0.01]], sigma: [0.01], correlation: [1], from: "halves" },
});

/** Brought in, of 2″ to a pixel. */
const STACK = {
  id: "s",
  facts: { fwhmPx: null, width: 200, height: 150 },
  brought: { arcsecPerPx: 2 },
  toProject: null,
  report: { subs: [] },
};

async function show(fwhmPx: number | null, part: Partial<ChainStep> = {}) {
  const step = { ...newStep(LAYERS), ...part, id: "x" };
  const lane = { id: "l", letter: "A", stackId: "s", steps: [step] } as Lane;
  const values = Object.fromEntries(factsNeeded(step).map((key) => [key, [facts(fwhmPx)[key.split("@")[0]]]]));
  const session = {
    store: createStore(() => ({ stacks: [STACK], subs: [], factRound: 0 })),
    facts: { lookUp: () => ({ facts: [values], complete: true, settled: true }) },
    stacks: { subjectOf: () => Promise.resolve({ picture: { id: "p" }, halves: null, fill: [0], fullScale: 1 }) },
    pool: { valuesOf: (ids: unknown) => ids },
  } as unknown as ProjectSession;
  render(
    <SessionContext.Provider value={session}>
      <IdleLine lane={lane} index={0} />
      <PsfPanel board={{ lanes: [lane] } as Board} lane={lane} step={step} zoom={2} onChange={() => undefined} />
      <p>all of it</p>
    </SessionContext.Provider>,
  );
  // The lane's stack is found in a later turn.
  await screen.findByText("all of it");
  await act(() => new Promise((resolve) => setTimeout(resolve, 20)));
}

test("a step that has a blur to take back says which, and nothing else", async () => {
  await show(3.456);
  expect((await screen.findByTestId("detail-blur")).textContent).toBe("Blur 3.46 px · 6.9″");
  expect(screen.queryByTestId("idle")).toBeNull();
});

test.each([
  [null, "Noise hides the fine detail"],
  [1.05, "shows no blur"],
])("with a blur of %p px it says that it leaves the picture, and what to do", async (fwhmPx, words) => {
  await show(fwhmPx);
  const { textContent } = await screen.findByTestId("idle");
  expect(textContent).toContain(words);
  expect(textContent).toContain("Choose a typed blur to go on.");
  expect(screen.queryByTestId("detail-blur")).toBeNull();
});

test.each([
  ["is off", { on: false }],
  ["has a typed blur", { params: { ...LAYERS.parameters.defaults, psf: "typed" } }],
])("a step that %s is not told idle", async (_, part) => {
  await show(null, part);
  expect(screen.queryByTestId("idle")).toBeNull();
});
