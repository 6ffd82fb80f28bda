/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { fireEvent, render, screen } from "@testing-library/react";
import { createStore } from "zustand/vanilla";
import type { ProjectSession } from "@/state/project";
import { ProjectTitle } from "./projectTitle";
import { SessionContext } from "./session";

test("a click on the name makes it a field; Enter and leaving it take what was typed, Escape does not", () => {
  const store = createStore(() => ({ project: { name: "Weir" } }));
  const rename = jest.fn((name: string) => store.setState({ project: { name } }));
  render(
    <SessionContext.Provider value={{ store, rename } as unknown as ProjectSession}>
      <ProjectTitle />
    </SessionContext.Provider>,
  );
  const type = (text: string) => {
    fireEvent.click(screen.getByRole("button"));
    const field = screen.getByLabelText<HTMLInputElement>("Name of the project");
    expect(document.activeElement).toBe(field);
    fireEvent.change(field, { target: { value: text } });
    return field;
  };
  fireEvent.keyDown(type("Weir, spring"), { key: "Enter" });
  expect(screen.getByRole("heading").textContent).toBe("Weir, spring");
  fireEvent.keyDown(type("something else"), { key: "Escape" });
  expect(screen.getByRole("heading").textContent).toBe("Weir, spring");
  fireEvent.blur(type("Oru"));
  expect(screen.getByRole("heading").textContent).toBe("Oru");
  expect(rename.mock.calls.map(([name]) => name)).toEqual(["Weir, spring", "Oru"]);
});
