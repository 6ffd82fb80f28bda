/** What came of something that may fail in ways that its caller must handle: a value, or the reason why there is none. */
export type Result<T, E> = { ok: true; value: T } | { ok: false; reason: E };

/** A reason of a closed list, with its detail in words. */
export interface Refusal<W extends string> {
  why: W;
  detail: string;
}

export const done = <T>(value: T): { ok: true; value: T } => ({ ok: true, value });

export const refused = <W extends string>(why: W, detail: string): { ok: false; reason: Refusal<W> } => ({
  ok: false,
  reason: { why, detail },
});
