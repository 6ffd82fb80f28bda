import { fc } from "@/core/testing/properties";
import { MOST_LABELS, overlaps, placeLabels, worthLabels } from "./helpLayout";

const screen = { width: 1280, height: 800 };
const keys = { left: 400, top: 560, width: 480, height: 200 };
const label = fc.record({
  control: fc.record({
    left: fc.integer({ min: 0, max: 1200 }),
    top: fc.integer({ min: 0, max: 780 }),
    width: fc.integer({ min: 10, max: 400 }),
    height: fc.integer({ min: 10, max: 300 }),
  }),
  width: fc.integer({ min: 40, max: 220 }),
  height: fc.constantFrom(18, 34, 50),
});

test("labels lie inside the window, over no other and not over the keys", () => {
  fc.assert(
    fc.property(fc.array(label, { minLength: 1, maxLength: 30 }), (labels) => {
      const boxes = placeLabels(labels, [keys], screen);
      const seen = boxes.flatMap((box) => box ?? []);
      expect(seen.length).toBe(labels.length); // thirty always find room
      for (const [i, box] of seen.entries()) {
        expect(box.left >= 0 && box.top >= 0).toBe(true);
        expect(box.left + box.width <= screen.width && box.top + box.height <= screen.height).toBe(true);
        expect(overlaps(box, keys)).toBe(false);
        for (const other of seen.slice(i + 1)) expect(overlaps(box, other)).toBe(false);
      }
    }),
    { numRuns: 20 },
  );
});

test("a label alone covers its control; one without room is left out", () => {
  const control = { left: 600, top: 300, width: 20, height: 20 };
  const [box] = placeLabels([{ control, width: 100, height: 18 }], [], screen);
  expect(box && overlaps(box, control)).toBe(true);
  expect(placeLabels([{ control, width: 100, height: 18 }], [{ left: 0, top: 0, ...screen }], screen)).toEqual([null]);
});

test("where there are too many controls only those without words are labelled", () => {
  const controls = (count: number) => Array.from({ length: count }, (_, i) => ({ id: i, hasWords: i % 2 === 1 }));
  expect(worthLabels(controls(MOST_LABELS))).toEqual(controls(MOST_LABELS));
  const few = worthLabels(controls(MOST_LABELS + 2));
  expect(few.length).toBe(MOST_LABELS / 2 + 1);
  expect(few.some(({ hasWords }) => hasWords)).toBe(false);
});
