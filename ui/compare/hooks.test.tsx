/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, fireEvent, render, renderHook, screen, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { createStore } from "zustand/vanilla";
import type { ChainStep } from "@/core/chain";
import { newStep } from "@/core/chain";
import { findOperation, OPERATIONS } from "@/core/operations";
import { isInEffect } from "@/core/parameters";
import type { Subject } from "@/state/facts";
import type { ProjectSession } from "@/state/project";
import type { Board, Lane } from "@/storage";
import { SessionContext } from "../frame/session";
import { createLatency } from "./latency";
import { StepCard } from "./stepCard";
import { useLaneTreatment } from "./useTreatment";

const [starlet] = OPERATIONS;
const laneOf = (strength: number): Lane => ({
  id: "l",
  letter: "A",
  stackId: "s",
  steps: [{ ...newStep(starlet), id: "x", params: { ...starlet.parameters.defaults, strength } }],
});

describe("what a lane does to its stack", () => {
  const subject = { picture: { id: "p" }, halves: null, fill: [0], fullScale: 1 } as unknown as Subject;
  /** Facts are known once they were settled; each settling is let go by the test. */
  function session() {
    const store = createStore<{ stacks: { id: string }[]; factRound: number }>(() => ({
      stacks: [{ id: "s" }],
      factRound: 0,
    }));
    const known = new Set<string>();
    const settling: (() => void)[] = [];
    const keyOf = (steps: readonly ChainStep[]) => JSON.stringify(steps.map(({ params }) => params));
    const facts = {
      lookUp: (_: Subject, steps: readonly ChainStep[]) => ({
        facts: [{ "noise@together": keyOf(steps) }],
        complete: known.size > 0,
        settled: known.has(keyOf(steps)),
      }),
      settle: (_: Subject, steps: readonly ChainStep[]) =>
        new Promise<void>((resolve) =>
          settling.push(() => {
            known.add(keyOf(steps));
            store.setState(({ factRound }) => ({ factRound: factRound + 1 }));
            resolve();
          }),
        ),
    };
    const fake = { store, facts, stacks: { subjectOf: () => Promise.resolve(subject) } } as unknown as ProjectSession;
    const wrapper = ({ children }: { children: ReactNode }) => (
      <SessionContext.Provider value={fake}>{children}</SessionContext.Provider>
    );
    return { wrapper, settling };
  }
  const rest = (ms: number) => act(() => jest.advanceTimersByTimeAsync(ms));

  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  test("nothing is shown before its facts are known; then a change uses the last ones and settles when it rests", async () => {
    const { wrapper, settling } = session();
    const { result, rerender } = renderHook(({ lane }) => useLaneTreatment(lane), {
      wrapper,
      initialProps: { lane: laneOf(0.1) },
    });
    await rest(1); // the stack's files are found
    await rest(1);
    expect(result.current).toMatchObject({ treatment: null, settling: true, error: null });
    expect(settling.length).toBe(1); // at once, since nothing can be shown
    await act(async () => (settling[0](), await Promise.resolve()));
    expect(result.current.settling).toBe(false);
    expect(result.current.treatment?.steps[0].params.strength).toBe(0.1);
    expect(result.current.treatment?.steps[0]).not.toHaveProperty("id"); // what only the screen needs
    rerender({ lane: laneOf(0.2) });
    expect(result.current.treatment?.steps[0].params.strength).toBe(0.2);
    expect(result.current.settling).toBe(true);
    rerender({ lane: laneOf(0.3) });
    await rest(100);
    expect(settling.length).toBe(1); // the lever still moves
    await rest(300);
    expect(settling.length).toBe(2);
    await act(async () => (settling[1](), await Promise.resolve()));
    expect(result.current).toMatchObject({ settling: false, error: null });
  });

  test("a lane whose stack is gone has no treatment", async () => {
    const { wrapper } = session();
    const { result } = renderHook(() => useLaneTreatment({ ...laneOf(0.1), stackId: "gone" }), { wrapper });
    await rest(500);
    expect(result.current).toMatchObject({ stack: null, treatment: null });
  });
});

describe("the card of a step", () => {
  function show(lane: Lane, index = 0) {
    let board = { lanes: [lane], ladder: null, masks: [], view: { zoom: 2, panX: 0, panY: 0 } } as unknown as Board;
    const change = (by: (b: Board) => Board) => (board = by(board));
    const session = {
      store: createStore(() => ({ stacks: [], factRound: 0 })),
      board: { change, amend: change },
    } as unknown as ProjectSession;
    render(
      <SessionContext.Provider value={session}>
        <StepCard board={board} lane={lane} step={lane.steps[index]} index={index} latency={createLatency()} />
      </SessionContext.Provider>,
    );
    return { params: () => board.lanes[0].steps[index].params, board: () => board };
  }

  test("shows every parameter that is of effect with its value; a typed number goes into the chain, one out of range does not", () => {
    const { params } = show(laneOf(0.3));
    for (const field of starlet.parameters.fields) {
      const { label, kind } = field;
      const shown = {
        toggle: () => screen.queryByText(label.charAt(0).toLowerCase() + label.slice(1)),
        slider: () => screen.queryByLabelText(`${label}, number`),
        choice: () => screen.queryByLabelText(label),
        psf: () => null,
        patches: () => screen.queryByText(label),
        stars: () => null,
        points: () => screen.queryByText(label),
      }[kind]();
      expect([label, shown !== null]).toEqual([label, isInEffect(field, starlet.parameters.defaults)]);
    }
    const field = screen.getByLabelText<HTMLInputElement>("Strength, number");
    expect(field.value).toBe("0.30");
    fireEvent.change(field, { target: { value: "0,45" } });
    fireEvent.keyDown(field, { key: "Enter" });
    expect(params().strength).toBe(0.45);
    fireEvent.change(field, { target: { value: "7" } });
    expect(field.getAttribute("aria-invalid")).toBe("true");
    fireEvent.keyDown(field, { key: "Enter" });
    expect(params().strength).toBe(0.45);
  });

  test("a parameter that hangs on a choice is hidden while it is of no effect", () => {
    const lucy = findOperation("deconvolve.richardson-lucy") as (typeof OPERATIONS)[number];
    show({ ...laneOf(0), steps: [{ ...newStep(lucy), id: "x" }] });
    expect(screen.queryByLabelText("FWHM, number")).toBeNull();
    expect(screen.getByLabelText("Share of it, number")).toBeTruthy();
  });

  test("a blur that is typed is shown as large as on the crops; of the stars' own, the step says to which width", () => {
    const lucy = findOperation("deconvolve.richardson-lucy") as (typeof OPERATIONS)[number];
    const fresh = newStep(lucy);
    show({ ...laneOf(0), steps: [{ ...fresh, id: "x", params: { ...fresh.params, psf: "gaussian", fwhmPx: 4 } }] });
    const kernel = screen.getByTestId("typed-kernel");
    expect(kernel.textContent).toContain("4.00 px");
    expect(kernel.textContent).toContain("as on the crops at 2:1");
    // A Gaussian of 4 px goes 7 px to each side.
    expect(kernel.querySelector("canvas")?.style.width).toBe("30px");
    expect(screen.queryByText("Stars that tell the blur")).toBeNull();
  });

  test("a step that stands after a stretch and is not meant for it says so", () => {
    const stretch = findOperation("stretch.arcsinh") as (typeof OPERATIONS)[number];
    const lucy = findOperation("deconvolve.richardson-lucy") as (typeof OPERATIONS)[number];
    const steps = [stretch, lucy].map((operation) => ({ ...newStep(operation), id: operation.id }));
    show({ ...laneOf(0.3), steps }, 1);
    expect(screen.getByText(/Made for linear data.*may leave rims/)).toBeTruthy();
  });

  test("a ladder is asked for with its ends and its rungs", async () => {
    const { board } = show(laneOf(0.4));
    fireEvent.click(screen.getByLabelText(/^Ladder of strength/));
    fireEvent.click(screen.getByText("Show ladder"));
    expect(board().ladder).toEqual({
      laneId: "l",
      stepId: "x",
      field: "strength",
      values: [0.2, 0.33, 0.47, 0.6],
      second: null,
    });
    // The button is gone: the focus is at the setting that the ladder is of.
    await waitFor(() => expect(document.activeElement).toBe(screen.getByLabelText("Strength, number")));
  });
});
