/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { fireEvent, render, screen } from "@testing-library/react";
import { useKeys } from "./useKeys";

function Screen({ onKey }: { onKey: (key: string) => void }) {
  useKeys("left,right,space", (event) => onKey(event.key));
  return (
    <div>
      <span role="slider" aria-label="Strength" aria-valuenow={1} tabIndex={0} />
      <button type="button">Press</button>
      <div data-testid="elsewhere" tabIndex={0} />
      <div data-testid="own" tabIndex={0} onKeyDown={(event) => event.preventDefault()} />
    </div>
  );
}

test("a key acts once: where it was pressed, if that takes it, and else on the screen", () => {
  const heard: string[] = [];
  render(<Screen onKey={(key) => heard.push(key)} />);
  const press = (element: HTMLElement, key: string, code: string) => {
    fireEvent.keyDown(element, { key, code });
    fireEvent.keyUp(element, { key, code });
  };
  press(screen.getByLabelText("Strength"), "ArrowLeft", "ArrowLeft");
  press(screen.getByText("Press"), " ", "Space");
  press(screen.getByTestId("own"), "ArrowLeft", "ArrowLeft");
  expect(heard).toEqual([]);
  press(screen.getByText("Press"), "ArrowRight", "ArrowRight");
  press(screen.getByTestId("elsewhere"), " ", "Space");
  press(screen.getByTestId("elsewhere"), "ArrowLeft", "ArrowLeft");
  expect(heard).toEqual(["ArrowRight", " ", "ArrowLeft"]);
});
