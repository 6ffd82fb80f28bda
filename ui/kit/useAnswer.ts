"use client";

import { useEffect, useEffectEvent, useState } from "react";
import { Stopped } from "@/core/job";
import { failureOf } from "@/engine/protocol";
import { useUnchanged } from "./useUnchanged";

/** What the last question that was answered was answered with. */
export interface Answer<T> {
  /** Null until the first answer, and where the question failed. */
  value: T | null;
  /** It answers the present question. */
  isCurrent: boolean;
  /** Why the present question has no answer. */
  error: string | null;
}

/**
 * Asks once a question has rested for `restMs`, and stops asking when it changes (by its JSON) or
 * the component goes. A null question asks nothing. `ask` must depend on what the question says
 * and on what never changes.
 */
export function useAnswer<Q, T>(
  question: Q | null,
  restMs: number,
  ask: (question: Q, signal: AbortSignal) => Promise<T>,
): Answer<T> {
  const asked = useUnchanged(question);
  const [known, setKnown] = useState<{ question: Q; value: T | null; error: string | null } | null>(null);
  const answer = useEffectEvent(ask);
  useEffect(() => {
    if (asked === null) return;
    const abort = new AbortController();
    const { signal } = abort;
    const timer = setTimeout(() => {
      answer(asked, signal)
        .then((value) => signal.aborted || setKnown({ question: asked, value, error: null }))
        .catch((error: unknown) => {
          if (!signal.aborted && !(error instanceof Stopped))
            setKnown({ question: asked, value: null, error: failureOf(error).message });
        });
    }, restMs);
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [asked, restMs]);
  const isCurrent = known !== null && known.question === asked;
  return { value: known?.value ?? null, isCurrent, error: isCurrent ? known.error : null };
}
