/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { act, fireEvent, render, renderHook, screen } from "@testing-library/react";
import { Stopped } from "@/core/job";
import { FileChooser } from "./fileChooser";
import { useAnswer } from "./useAnswer";

const REST_MS = 100;
const rest = (ms: number) => act(() => jest.advanceTimersByTimeAsync(ms));

describe("a question that rests is asked", () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  function asking(first: { of: number } | null) {
    const asked: number[] = [];
    const ends = new Map<number, { resolve: (value: string) => void; reject: (reason: unknown) => void }>();
    const signals = new Map<number, AbortSignal>();
    const hook = renderHook(
      ({ question }) =>
        useAnswer(question, REST_MS, ({ of }, signal) => {
          asked.push(of);
          signals.set(of, signal);
          return new Promise<string>((resolve, reject) => ends.set(of, { resolve, reject }));
        }),
      { initialProps: { question: first } },
    );
    const end = (of: number, how: "resolve" | "reject", value: unknown) =>
      act(async () => {
        ends.get(of)?.[how](value as string);
        await Promise.resolve();
      });
    return { ...hook, asked, signals, end };
  }

  test("once for each, by what it says; the last answer stays until the next is there", async () => {
    const { result, rerender, asked, end } = asking({ of: 1 });
    rerender({ question: { of: 1 } });
    await rest(REST_MS);
    expect(asked).toEqual([1]);
    await end(1, "resolve", "one");
    expect(result.current).toEqual({ value: "one", isCurrent: true, error: null });
    rerender({ question: { of: 2 } });
    expect(result.current).toEqual({ value: "one", isCurrent: false, error: null });
    rerender({ question: { of: 3 } });
    await rest(REST_MS);
    expect(asked).toEqual([1, 3]); // 2 never rested
    await end(3, "resolve", "three");
    expect(result.current).toEqual({ value: "three", isCurrent: true, error: null });
  });

  test("what changed meanwhile is stopped and its answer not taken; a failure is said, a stop is not", async () => {
    const { result, rerender, signals, end } = asking({ of: 1 });
    await rest(REST_MS);
    rerender({ question: { of: 2 } });
    expect(signals.get(1)?.aborted).toBe(true);
    await end(1, "resolve", "late");
    expect(result.current.value).toBeNull();
    await rest(REST_MS);
    await end(2, "reject", new Error("no stars here"));
    expect(result.current).toEqual({ value: null, isCurrent: true, error: "no stars here" });
    rerender({ question: { of: 3 } });
    await rest(REST_MS);
    await end(3, "reject", new Stopped());
    expect(result.current).toMatchObject({ isCurrent: false, error: null });
  });

  test("no question asks nothing", async () => {
    const { result, asked } = asking(null);
    await rest(10 * REST_MS);
    expect(asked).toEqual([]);
    expect(result.current).toEqual({ value: null, isCurrent: false, error: null });
  });
});

test("the file dialog opens by what its children make of it, and the same file may be chosen again", () => {
  const chosen: string[][] = [];
  render(
    <FileChooser
      testId="files"
      label="Files"
      accept={[".fits"]}
      onChoose={(all) => chosen.push(all.map((f) => f.name))}
    >
      {(choose) => <button onClick={choose}>Open</button>}
    </FileChooser>,
  );
  const input = screen.getByTestId<HTMLInputElement>("files");
  const opened = jest.spyOn(input, "click");
  fireEvent.click(screen.getByText("Open"));
  expect(opened).toHaveBeenCalledTimes(1);
  const files = [new File(["x"], "weir.fits")];
  for (let k = 0; k < 2; k++) fireEvent.change(input, { target: { files } });
  expect(chosen).toEqual([["weir.fits"], ["weir.fits"]]);
  fireEvent.change(input, { target: { files: [] } });
  expect(chosen.length).toBe(2);
});
