/** @jest-environment ./ui/testing/domEnvironment.cjs */
import { render, screen } from "@testing-library/react";
import { fitPsfField, widthsOf } from "@/core/measure";
import { FieldPicture } from "./fieldPicture";

const SIZE = { width: 1200, height: 800 };

test("ellipses lie as stars do: drawn out from the middle, the more the farther, and turned as they are", () => {
  const stars = Array.from({ length: 140 }, (_, k) => {
    const [x, y] = [1200 * ((k * 0.618) % 1), 800 * ((k * 0.414) % 1)];
    const [dx, dy] = [x - 600, y - 400];
    const [r, angle] = [Math.hypot(dx, dy) / 720, Math.atan2(dy, dx)];
    return { x, y, widths: widthsOf({ fwhmMajor: 3 * (1 + 0.5 * r * r), fwhmMinor: 3, angle }) };
  });
  const field = fitPsfField(stars);
  if (!field) throw new Error("no field");
  render(<FieldPicture field={field} beta={3} size={SIZE} />);
  const figure = screen.getByTestId("field-picture");
  const drawn = [...figure.querySelectorAll("ellipse")].map((ellipse) => {
    const [x, y, turn] = (ellipse.getAttribute("transform") ?? "").match(/-?[\d.]+/g)?.map(Number) ?? [];
    return {
      x,
      y,
      turn,
      long: Number(ellipse.getAttribute("rx")) / Number(ellipse.getAttribute("ry")),
      opacity: Number(ellipse.getAttribute("stroke-opacity")),
    };
  });
  expect(drawn.length).toBe(7 * 5);
  const at = (x: number, y: number) =>
    drawn.reduce((a, b) => (Math.hypot(a.x - x, a.y - y) < Math.hypot(b.x - x, b.y - y) ? a : b));
  const [middle, right, corner] = [at(600, 400), at(1200, 400), at(0, 0)];
  expect(middle.long).toBeLessThan(1.03);
  expect(right.long).toBeGreaterThan(1.2);
  expect(corner.long).toBeGreaterThan(right.long);
  expect(Math.abs(((right.turn + 270) % 180) - 90)).toBeLessThan(6);
  expect(Math.abs(((corner.turn + 180) % 180) - 33.7)).toBeLessThan(8);
  expect(corner.opacity).toBeGreaterThan(middle.opacity + 0.4);
  expect(figure.getAttribute("aria-label")).toMatch(/axis 1\.0\d … 1\.[34]/);
});
