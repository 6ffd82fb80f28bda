/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { createStore } from "zustand/vanilla";
import { newStep } from "@/core/chain";
import type { Places } from "@/core/parameters";
import { shiftBy } from "@/core/register";
import { marks, withOperations } from "@/core/testing/testOperations";
import type { ProjectSession } from "@/state/project";
import type { Board } from "@/storage";
import { SessionContext } from "../frame/session";
import { createDesk, DeskContext } from "./desk";
import { createLatency } from "./latency";
import { PlacedOverlay, useOpenPlaced } from "./placedOverlay";
import { StepCard } from "./stepCard";

const SIZE = { width: 200, height: 150 };
/** A crop of 100 × 100 px of the screen: px 40 … 90 of a picture that lies 10 px to the right of the project's. */
const VIEW = {
  cell: { width: 100, height: 100 },
  left: 40,
  top: 40,
  scale: 2,
  region: { x: 40, y: 40, width: 50, height: 50 },
  reduce: 1,
  onto: null,
};

/** The card of a step with points, and a crop under its overlay. */
function Bench({ change }: { change: (set: (board: Board) => void) => void }) {
  const [board, setBoard] = useState<Board>({
    lanes: [{ id: "l", letter: "A", stackId: "s", steps: [{ ...newStep(marks), id: "x" }] }],
    spots: [{ id: "p", name: "middle", x: 60, y: 50 }],
    view: { zoom: 2, panX: 0, panY: 0 },
    ladder: null,
    masks: [],
  } as unknown as Board);
  change(setBoard);
  const placed = useOpenPlaced(board);
  const [lane] = board.lanes;
  return (
    <>
      <StepCard board={board} lane={lane} step={lane.steps[0]} index={0} latency={createLatency()} />
      <output>{JSON.stringify(lane.steps[0].params.points)}</output>
      {placed ? <PlacedOverlay {...placed} toPicture={shiftBy(10, 0)} project={SIZE} view={VIEW} /> : null}
    </>
  );
}

function show() {
  let set: (board: Board | ((b: Board) => Board)) => void = () => undefined;
  const session = {
    store: createStore(() => ({ stacks: [], factRound: 0 })),
    board: { change: (change: (b: Board) => Board) => act(() => set(change)) },
  } as unknown as ProjectSession;
  render(
    <SessionContext.Provider value={session}>
      <DeskContext.Provider value={createDesk()}>
        <Bench change={(next) => (set = next as typeof set)} />
      </DeskContext.Provider>
    </SessionContext.Provider>,
  );
}
/** jsdom knows no pointers: a mouse stands in. */
const pointer = (element: Element, what: "down" | "move" | "up", at: MouseEventInit = {}) =>
  fireEvent(element, new MouseEvent(`pointer${what}`, { bubbles: true, ...at }));
const points = () => JSON.parse(screen.getByRole("status").textContent ?? "[]") as Places;

test("an operation with points is its file and its registry line: they are added, drawn, moved and removed", () =>
  withOperations([marks], async () => {
    show();
    expect(points()).toEqual([]);
    expect(screen.queryByLabelText("Point of light 1")).toBeNull();
    fireEvent.click(screen.getByLabelText("Add a point of light in the middle of the first spot"));
    expect(points()).toEqual([[60, 50]]);
    expect(screen.getByText("1 point")).toBeTruthy();
    // (60, 50) of the project is (70, 50) of the picture: 30.5 and 10.5 px from the corner of the crop, at two to one.
    const first = screen.getByLabelText("Point of light 1");
    expect([first.style.left, first.style.top]).toEqual(["55px", "15px"]);
    fireEvent.keyDown(first, { key: "ArrowRight" });
    fireEvent.keyDown(first, { key: "ArrowUp", shiftKey: true });
    expect(points()).toEqual([[61, 40]]);
    for (let k = 0; k < 4; k++)
      fireEvent.click(screen.getByLabelText("Add a point of light in the middle of the first spot"));
    expect(points().length).toBe(5);
    expect(
      screen.getByLabelText<HTMLButtonElement>("Add a point of light in the middle of the first spot").disabled,
    ).toBe(true);
    fireEvent.keyDown(screen.getByLabelText("Point of light 2"), { key: "Delete" });
    expect(points()).toEqual([
      [61, 40],
      [60, 50],
      [60, 50],
      [60, 50],
    ]);
    fireEvent.click(screen.getByLabelText("Hide every point of light"));
    expect(screen.queryByLabelText("Point of light 1")).toBeNull();
    fireEvent.click(screen.getByLabelText("Remove every point of light"));
    expect(points()).toEqual([]);
  }));

test("a point is dragged, and does not leave the picture", () =>
  withOperations([marks], async () => {
    show();
    fireEvent.click(screen.getByLabelText("Add a point of light in the middle of the first spot"));
    const first = screen.getByLabelText("Point of light 1");
    first.setPointerCapture = () => undefined;
    pointer(first, "down", { button: 0, clientX: 10, clientY: 10 });
    pointer(first, "move", { clientX: 30, clientY: 16 });
    expect(points()).toEqual([[60, 50]]);
    pointer(first, "up");
    expect(points()).toEqual([[70, 53]]);
    const moved = screen.getByLabelText("Point of light 1");
    moved.setPointerCapture = () => undefined;
    pointer(moved, "down", { button: 0, clientX: 0, clientY: 0 });
    pointer(moved, "move", { clientX: -900, clientY: 900 });
    pointer(moved, "up");
    expect(points()).toEqual([[0, 149]]);
  }));
