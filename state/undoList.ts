/** A change that can be taken back; taking it back gives the change that makes it again. */
export interface Undoable {
  words: string;
  undo(): Undoable;
}

/** So many changes can be taken back. */
const MOST = 200;
/** Changes of one group that follow each other so soon are one: a lever that moves, a word that is typed. */
const TOGETHER_MS = 1000;

/** Changes in their order: the last one is taken back first, and can be made again until there is a new one. */
export class UndoList {
  private past: Undoable[] = [];
  private future: Undoable[] = [];
  private last: { group: string; at: number } | null = null;

  /** Notes a change before or after it is made. */
  note(change: Undoable, group: string | null = null, now = Date.now()): void {
    const isSame = group !== null && this.last?.group === group && now - this.last.at < TOGETHER_MS;
    if (!isSame) this.past = [...this.past, change].slice(-MOST);
    this.future = [];
    this.last = group === null ? null : { group, at: now };
  }

  /** Forgets a change that cannot be taken back any more, or is already. */
  drop(change: Undoable): void {
    this.past = this.past.filter((one) => one !== change);
    this.future = this.future.filter((one) => one !== change);
  }

  /** Takes the last change back; what it was, in words, or null where there is none. */
  undo(): string | null {
    this.last = null;
    return move(this.past, this.future);
  }

  /** Makes again what was taken back last; what it is, or null. */
  redo(): string | null {
    return move(this.future, this.past);
  }
}

function move(from: Undoable[], to: Undoable[]): string | null {
  const change = from.pop();
  if (!change) return null;
  to.push(change.undo());
  return change.words;
}
