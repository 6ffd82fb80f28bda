/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { fireEvent, render, screen } from "@testing-library/react";
import { NumberField } from "./setting";

const onChange = jest.fn<void, [number]>();
const field = () => {
  onChange.mockClear();
  render(<NumberField label="Aperture" min={20} max={1500} step={1} value={200} onChange={onChange} />);
  return screen.getByLabelText<HTMLInputElement>("Aperture, number");
};
const type = (input: HTMLInputElement, text: string, key = "Enter") => {
  fireEvent.change(input, { target: { value: text } });
  fireEvent.keyDown(input, { key });
};

test.each(["5", "abc", "", "1501"])("%j is not taken: it stays with what is wrong, and Escape gives it up", (text) => {
  const input = field();
  type(input, text);
  expect(onChange).not.toHaveBeenCalled();
  expect(input.value).toBe(text);
  expect(screen.getByRole("alert").textContent).toBe("A number from 20 to 1500; 200 stays. Escape gives it up.");
  expect(input.getAttribute("aria-describedby")).toBe(screen.getByRole("alert").id);
  fireEvent.keyDown(input, { key: "Escape" });
  expect(input.value).toBe("200");
  expect(screen.queryByRole("alert")).toBeNull();
});

test("nothing is said while one types; what is left wrong is named, and mended it is taken", () => {
  const input = field();
  fireEvent.change(input, { target: { value: "5" } });
  expect(screen.queryByRole("alert")).toBeNull();
  fireEvent.blur(input);
  expect(screen.getByRole("alert")).not.toBeNull();
  type(input, "57,4");
  expect(onChange).toHaveBeenLastCalledWith(57);
  expect(screen.queryByRole("alert")).toBeNull();
});

test("arrow keys step, and stop at the ends", () => {
  const input = field();
  fireEvent.keyDown(input, { key: "ArrowDown" });
  expect(onChange).toHaveBeenLastCalledWith(199);
});
