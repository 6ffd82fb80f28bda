import type { GradedFrame, Measure, Rule } from "@/core/choose";
import { CHART_HEIGHT, fittedScales, framesIn, isClick, limitsIn, MARGIN, nearestTo, pointsOf } from "./chartScales";

const frames = [
  [1, 3.2],
  [2, 2.9],
  [3, 5.1],
  [4, null],
].map(([order, fwhm]) => ({ id: `f${order}`, order, fwhm }) as unknown as GradedFrame);
const measure = (name: string) =>
  ({ value: (frame: unknown) => (frame as Record<string, number | null>)[name] }) as unknown as Measure;
const points = pointsOf(frames, measure("order"), measure("fwhm"));
const axes = { x: "order", y: "fwhm" };
const limit = (value: number, on = true) =>
  ({ id: "r", kind: "limit", on, measure: "fwhm", side: "below", value }) as unknown as Rule;

test("frames of which a measure says nothing are no points", () => {
  expect(points.map(({ frame: { id } }) => id)).toEqual(["f1", "f2", "f3"]);
});

test("the scales show every point and every limit that is on, inside the margins", () => {
  const limits = limitsIn([limit(7), limit(90, false)]);
  const { x, y } = fittedScales(points, limits, axes, 600);
  for (const point of points) {
    expect(x(point.x)).toBeGreaterThan(MARGIN.left);
    expect(x(point.x)).toBeLessThan(600 - MARGIN.right);
    expect(y(point.y)).toBeGreaterThan(MARGIN.top);
    expect(y(point.y)).toBeLessThan(CHART_HEIGHT - MARGIN.bottom);
  }
  expect(y(7)).toBeGreaterThan(MARGIN.top);
  expect(y(90)).toBeLessThan(0);
  // Larger is higher up.
  expect(y(5.1)).toBeLessThan(y(2.9));
});

test("a single value, and none, have an axis of some length", () => {
  const alone = fittedScales(points.slice(0, 1), [], axes, 600);
  expect(alone.y.domain()[0]).toBeLessThan(3.2);
  expect(alone.y.domain()[1]).toBeGreaterThan(3.2);
  expect(fittedScales([], [], axes, 600).x.domain()).toEqual([-0.06, 1.06]);
  expect(fittedScales(points, [], axes, 0).x.range()[1]).toBeGreaterThan(MARGIN.left);
});

test("a click takes the nearest point, if one is near; a frame takes those inside, drawn either way", () => {
  const scales = fittedScales(points, [], axes, 600);
  const [x, y] = [scales.x(2), scales.y(2.9)];
  expect(nearestTo(points, scales, x + 5, y - 5)?.id).toBe("f2");
  expect(nearestTo(points, scales, x + 40, y)).toBeNull();
  expect(isClick({ x0: x, y0: y, x1: x + 2, y1: y + 2 })).toBe(true);
  const box = { x0: scales.x(2.5), y0: CHART_HEIGHT, x1: 0, y1: 0 };
  expect(isClick(box)).toBe(false);
  expect(framesIn(points, scales, box)).toEqual(["f1", "f2"]);
  expect(framesIn(points, scales, { x0: box.x1, y0: box.y1, x1: box.x0, y1: box.y0 })).toEqual(["f1", "f2"]);
});
