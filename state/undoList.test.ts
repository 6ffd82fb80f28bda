import type { Undoable } from "./undoList";
import { UndoList } from "./undoList";

function counter() {
  const list = new UndoList();
  let value = 0;
  const changed = (before: number, words: string): Undoable => ({
    words,
    undo: () => {
      const now = value;
      value = before;
      return changed(now, words);
    },
  });
  return {
    list,
    set: (next: number) => {
      list.note(changed(value, `to ${next}`));
      value = next;
    },
    value: () => value,
  };
}

test("the last change is taken back first, and made again in turn, each by its words", () => {
  const { list, set, value } = counter();
  set(1);
  set(2);
  expect([list.undo(), value()]).toEqual(["to 2", 1]);
  expect([list.undo(), value()]).toEqual(["to 1", 0]);
  expect([list.undo(), value()]).toEqual([null, 0]);
  expect([list.redo(), value()]).toEqual(["to 1", 1]);
  expect([list.redo(), value()]).toEqual(["to 2", 2]);
  expect(list.redo()).toBeNull();
  expect([list.undo(), value()]).toEqual(["to 2", 1]);
});

test("a lever that moves is one change, until it rests or another begins", () => {
  const { list, value } = counter();
  let at = 0;
  const changed = (to: string): Undoable => ({ words: to, undo: () => changed(to) });
  const note = (to: string, group: string | null, ms: number) => list.note(changed(to), group, (at += ms));
  note("limit", "rule", 0);
  note("limit", "rule", 300);
  note("limit", "rule", 900);
  note("limit again", "rule", 1500);
  note("patches", null, 10);
  note("limit", "rule", 10);
  expect([list.undo(), list.undo(), list.undo(), list.undo(), list.undo()]).toEqual([
    "limit",
    "patches",
    "limit again",
    "limit",
    null,
  ]);
  expect(value()).toBe(0);
});

test("a new change forgets what was taken back; of very many the first are forgotten", () => {
  const { list, set, value } = counter();
  set(1);
  list.undo();
  set(5);
  expect(list.redo()).toBeNull();
  expect([list.undo(), value()]).toEqual(["to 5", 0]);
  for (let k = 1; k <= 300; k++) set(k);
  let back = 0;
  while (list.undo() !== null) back++;
  expect([back, value()]).toEqual([200, 100]);
});
