/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { UserError } from "@/core/job";
import type { ImportedKernel } from "@/core/parameters";
import type { ProjectSession } from "@/state/project";
import type { Board, Lane } from "@/storage";
import { SessionContext } from "../frame/session";
import { ImportedPsf } from "./importedPsf";

const lanes = [
  { id: "a", letter: "A", stackId: "s", steps: [] },
  { id: "b", letter: "B", stackId: "coarse", steps: [] },
  { id: "c", letter: "C", stackId: "s", steps: [] },
] as Lane[];
const kernel: ImportedKernel = { from: "star.fits", side: 3, values: [0, 0.1, 0, 0.1, 0.6, 0.1, 0, 0.1, 0] };

function show(answer: (task: string) => Promise<unknown>, given: ImportedKernel | null = null) {
  const taken: ImportedKernel[] = [];
  const asked: unknown[] = [];
  const session = {
    pool: {
      run: (task: string, payload: unknown) => {
        asked.push(payload);
        return answer(task);
      },
    },
  } as unknown as ProjectSession;
  const board = { lanes } as unknown as Board;
  render(
    <SessionContext.Provider value={session}>
      <ImportedPsf board={board} lane={lanes[0]} kernel={given} onTake={(one) => taken.push(one)} />
    </SessionContext.Provider>,
  );
  const choose = (name: string) =>
    fireEvent.change(screen.getByTestId("choose-blur"), { target: { files: [new File(["x"], name)] } });
  return { taken, asked, choose };
}

test("lanes of other stacks are offered, those of the same stack are not", () => {
  show(() => Promise.resolve(kernel));
  expect(screen.getByText("From a lane …")).toBeTruthy();
  render(
    <ImportedPsf
      board={{ lanes: [lanes[0], lanes[2]] } as unknown as Board}
      lane={lanes[0]}
      kernel={null}
      onTake={() => undefined}
    />,
    {
      wrapper: ({ children }) => (
        <SessionContext.Provider value={{} as unknown as ProjectSession}>{children}</SessionContext.Provider>
      ),
    },
  );
  expect(screen.getAllByText("From a lane …").length).toBe(1);
});

test("a blur that was taken says from where; a chosen file's takes its place", async () => {
  const { taken, asked, choose } = show(() => Promise.resolve(kernel), { ...kernel, from: "old.fits" });
  expect(screen.getByText("Taken from old.fits")).toBeTruthy();
  choose("star.fits");
  expect(screen.getByText("measuring …")).toBeTruthy();
  await waitFor(() => expect(taken).toEqual([kernel]));
  expect(asked[0]).toMatchObject({ frame: { kind: "blob", name: "star.fits" } });
});

test("a file without a star is refused where it was chosen, and what was taken before stays", async () => {
  const { taken, choose } = show(
    () => Promise.reject(new UserError("sky.fits: nothing stands out in it", "Choose another.")),
    kernel,
  );
  choose("sky.fits");
  await screen.findByText("sky.fits: nothing stands out in it. Choose another.");
  expect(taken).toEqual([]);
});
