/** States that can be gone back to and forward again. Changes with the same `group` within a second become one step. */
export interface History<T> {
  past: T[];
  present: T;
  future: T[];
  group: string | null;
  at: number;
}

const MOST = 200;
const GROUP_MS = 1000;

export function startHistory<T>(present: T): History<T> {
  return { past: [], present, future: [], group: null, at: 0 };
}

export function record<T>(history: History<T>, next: T, group: string | null, now: number): History<T> {
  if (next === history.present) return history;
  const joins = group !== null && group === history.group && now - history.at < GROUP_MS;
  const past = joins ? history.past : [...history.past, history.present].slice(-MOST);
  return { past, present: next, future: [], group, at: now };
}

/** A change that is kept but is no step of its own, such as a selection. */
export function amend<T>(history: History<T>, next: T): History<T> {
  return { ...history, present: next };
}

/** The state before the last change; `seen` gives it what of the present is no change. */
export function undo<T>(history: History<T>, seen: (state: T, present: T) => T): History<T> {
  const last = history.past[history.past.length - 1];
  if (last === undefined) return history;
  return {
    past: history.past.slice(0, -1),
    present: seen(last, history.present),
    future: [history.present, ...history.future],
    group: null,
    at: 0,
  };
}

export function redo<T>(history: History<T>, seen: (state: T, present: T) => T): History<T> {
  const [next, ...rest] = history.future;
  if (next === undefined) return history;
  const present = seen(next, history.present);
  return { past: [...history.past, history.present], present, future: rest, group: null, at: 0 };
}
