/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, fireEvent, render, screen } from "@testing-library/react";
import { createStore } from "zustand/vanilla";
import { chainToJson, newStep } from "@/core/chain";
import { OPERATIONS } from "@/core/operations";
import type { ProjectSession } from "@/state/project";
import type { Board, Lane, StackRecord } from "@/storage";
import { SessionContext } from "../frame/session";
import { ChainEditor } from "./chainEditor";
import { createLatency } from "./latency";

const [first, second] = OPERATIONS;
const stack = { id: "s", name: "Stack 1" } as StackRecord;

function show(lane: Lane | null) {
  const board = { lanes: lane ? [lane] : [], ladder: null, masks: [], view: { zoom: 2, panX: 0, panY: 0 } };
  let current = board as unknown as Board;
  const session = {
    store: createStore(() => ({ stacks: [], factRound: 0, board: { past: [], future: [] } })),
    board: { change: (change: (b: Board) => Board) => (current = change(current)) },
    stacks: { subjectOf: () => new Promise(() => undefined) },
  } as unknown as ProjectSession;
  render(
    <SessionContext.Provider value={session}>
      <ChainEditor board={current} lane={lane} stacks={[stack]} latency={createLatency()} />
    </SessionContext.Provider>,
  );
  return { operations: () => current.lanes[0].steps.map(({ operation }) => operation), lanes: () => current.lanes };
}

const laneOf = (...operations: (typeof OPERATIONS)[number][]): Lane => ({
  id: "l",
  letter: "A",
  stackId: "s",
  steps: operations.map((operation, k) => ({ ...newStep(operation), id: String(k) })),
});

/** Chooses a file of that name and text, and lets it be read. */
const choose = (name: string, text: string) =>
  act(async () => {
    const file = Object.assign(new File([text], name), { text: () => Promise.resolve(text) });
    fireEvent.change(screen.getByTestId("choose-chain"), { target: { files: [file] } });
    await file.text();
  });

test("shows a card for each step, in their order; a step is taken out, another lane added", () => {
  const { operations, lanes } = show(laneOf(first, second));
  const cards = [...document.querySelectorAll("[data-step]")].map((card) => card.getAttribute("data-step"));
  expect(cards).toEqual([first.id, second.id]);
  fireEvent.click(screen.getAllByLabelText(/^Remove/)[0]);
  expect(operations()).toEqual([second.id]);
  fireEvent.click(screen.getByText("Lane"));
  expect(lanes().map(({ letter, steps }) => [letter, steps.length])).toEqual([
    ["A", 1],
    ["B", 0],
  ]);
});

test("a chain from a file takes the place of the lane's; one that is none is refused by name and leaves it", async () => {
  const { operations } = show(laneOf(first));
  await choose("broken.json", "{");
  expect(screen.getByRole("alert").textContent).toMatch(/^broken\.json: is not JSON/);
  await choose("other.json", '{"steps": 3}');
  expect(screen.getByRole("alert").textContent).toMatch(/^other\.json: /);
  expect(operations()).toEqual([first.id]);
  await choose("chain.json", chainToJson("Lane B", [newStep(second), newStep(first)]));
  expect(operations()).toEqual([second.id, first.id]);
  expect(screen.queryByRole("alert")).toBeNull();
});

test("without a lane it says what to do", () => {
  show(null);
  expect(screen.getByText("Choose a lane to see its chain.")).toBeTruthy();
});
