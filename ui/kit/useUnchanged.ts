import { useState } from "react";

/** The same object for as long as its JSON is the same, so that effects that name it run once for it. */
export function useUnchanged<T>(value: T): T {
  const [kept, setKept] = useState(value);
  if (kept === value || JSON.stringify(kept) === JSON.stringify(value)) return kept;
  setKept(value);
  return value;
}
