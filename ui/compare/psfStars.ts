"use client";

import { useEffect, useMemo, useRef, useState } from "react";
import { keyOfFact } from "@/core/chain";
import type { PsfStarsFact } from "@/core/facts";
import type { Corner } from "@/core/mask";
import { IDENTITY, inverse, mapPoint } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import { projectToStack } from "@/state/stackFrames";
import type { Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useLaneTreatment } from "./useTreatment";

/** How long settings must rest before the stars are measured. */
const REST_MS = 300;

/** The stars that tell the blur of a step, by the pictures and channels that it works on; and where all of them lie in the project's coordinates. Null until they are measured. */
export function usePsfStars(
  lane: Lane,
  step: LaneStep,
): { channels: PsfStarsFact["channels"]; places: Corner[]; isStale: boolean } | null {
  const session = useSession();
  const { stack, steps, treatment, settling } = useLaneTreatment(lane);
  const first = useProject((state) => state.stacks[0] ?? null);
  const index = lane.steps.findIndex(({ id }) => id === step.id);
  const [known, setKnown] = useState<{ key: string; found: PsfStarsFact[] } | null>(null);
  const factKey = index >= 0 ? keyOfFact("psfStars", steps[index]) : null;
  const key =
    treatment && !settling && factKey
      ? JSON.stringify([
          treatment.picture.id,
          treatment.steps.slice(0, index),
          treatment.facts.slice(0, index),
          factKey,
        ])
      : null;
  const latest = useRef(treatment);
  latest.current = treatment;
  useEffect(() => {
    const asked = latest.current;
    if (key === null || factKey === null || !asked) return;
    const abort = new AbortController();
    const timer = setTimeout(() => {
      const payload = { treatment: asked, index, keys: [factKey] };
      session.pool
        .run("measureFacts", payload, { priority: PRIORITY.measure, signal: abort.signal })
        .then((found) => setKnown({ key, found: found[factKey] as PsfStarsFact[] }))
        .catch(() => undefined); // stopped, or told under the crops
    }, REST_MS);
    return () => {
      clearTimeout(timer);
      abort.abort();
    };
  }, [session, key, factKey, index]);
  return useMemo(() => {
    if (!known) return null;
    const back = inverse((first && stack && projectToStack(first, stack)) ?? IDENTITY);
    const channels = known.found.flatMap((one) => one.channels);
    const [stars] = channels.flatMap((channel) => (channel ? [channel.stars] : []));
    const places = (stars ?? []).map(({ x, y }): Corner => [...mapPoint(back, x, y)]);
    return { channels, places, isStale: known.key !== key };
  }, [known, key, first, stack]);
}
