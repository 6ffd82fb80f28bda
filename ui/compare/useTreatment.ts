"use client";

import { useEffect, useMemo, useState } from "react";
import { Stopped, inWords } from "@/core/job";
import type { Treatment } from "@/engine/tasks/crop";
import { failureOf } from "@/engine/protocol";
import type { Subject } from "@/state/facts";
import { projectToStack } from "@/state/stackFrames";
import { stepsOnStack } from "@/state/treatment";
import type { Lane, StackRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";

/** How long a setting must rest before whole-picture facts of later steps are made anew. */
const REST_MS = 250;

export interface LaneTreatment {
  stack: StackRecord | null;
  /** The steps as they are on the stack's pixels. */
  steps: Treatment["steps"];
  treatment: Treatment | null;
  /** Whole-picture facts are being measured; what is shown until then rests on older ones. */
  settling: boolean;
  error: string | null;
}

/** What a lane does to its stack, as soon as the facts that its steps need are known. */
export function useLaneTreatment(lane: Lane): LaneTreatment {
  const session = useSession();
  const stack = useProject((state) => state.stacks.find(({ id }) => id === lane.stackId) ?? null);
  const first = useProject((state) => state.stacks[0] ?? null);
  const toStack = useMemo(() => (first && stack ? projectToStack(first, stack) : null), [first, stack]);
  const steps = useMemo(() => stepsOnStack(lane.steps, toStack), [lane.steps, toStack]);
  const round = useProject((state) => state.factRound);
  const [subject, setSubject] = useState<Subject | null>(null);
  const [error, setError] = useState<string | null>(null);
  useEffect(() => {
    if (!stack) return;
    let gone = false;
    session.stacks
      .subjectOf(stack)
      .then((found) => !gone && setSubject(found))
      .catch((reason: unknown) => !gone && setError(wordsOf(reason)));
    return () => {
      gone = true;
    };
  }, [session, stack]);
  const known = useMemo(
    () => (subject ? { ...session.facts.lookUp(subject, steps), round } : null),
    [session, subject, steps, round],
  );
  useEffect(() => {
    if (!subject || !known || known.settled) return;
    const abort = new AbortController();
    const timer = setTimeout(
      () => {
        session.facts.settle(subject, steps, abort.signal).catch((reason: unknown) => {
          if (!(reason instanceof Stopped)) setError(wordsOf(reason));
        });
      },
      known.complete ? REST_MS : 0,
    );
    return () => {
      clearTimeout(timer);
      // What the next setting needs too goes on: it is asked for before this one lets go.
      setTimeout(() => abort.abort(), 2 * REST_MS);
    };
  }, [session, subject, known, steps]);
  const treatment = useMemo(
    () => (subject && known?.complete ? { ...subject, steps, facts: known.facts } : null),
    [subject, known, steps],
  );
  // What was wrong with other settings is wrong no more.
  return { stack, steps, treatment, settling: known !== null && !known.settled, error: known?.settled ? null : error };
}

/** What went wrong, and what to do. */
function wordsOf(reason: unknown): string {
  const { message, advice } = failureOf(reason);
  return inWords(message, advice);
}
