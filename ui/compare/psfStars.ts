"use client";

import { useMemo } from "react";
import { keyOfFact } from "@/core/chain";
import type { PsfStarsFact } from "@/core/facts";
import { Stopped } from "@/core/job";
import type { Corner } from "@/core/mask";
import { IDENTITY, inverse, mapPoint } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import { projectToStack } from "@/state/stackFrames";
import type { Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { useLaneTreatment } from "./useTreatment";

/** How long settings must rest before the stars are measured. */
const REST_MS = 300;

/**
 * The stars that show the blur of a step, by the pictures and channels that it works on; and where
 * all of them lie in the project's coordinates. Null until they are measured.
 */
export function usePsfStars(
  lane: Lane,
  step: LaneStep,
): { channels: PsfStarsFact["channels"]; places: Corner[]; isStale: boolean } | null {
  const session = useSession();
  const { stack, steps, treatment, settling } = useLaneTreatment(lane);
  const first = useProject((state) => state.stacks[0] ?? null);
  const index = lane.steps.findIndex(({ id }) => id === step.id);
  const factKey = index >= 0 ? keyOfFact("psfStars", steps[index]) : null;
  const question =
    treatment && !settling && factKey
      ? { picture: treatment.picture.id, steps: steps.slice(0, index), facts: treatment.facts.slice(0, index), factKey }
      : null;
  const { value: found, isCurrent } = useAnswer(question, REST_MS, async ({ factKey: key }, signal) => {
    if (!treatment) throw new Stopped();
    const payload = { treatment, index, keys: [key] };
    const facts = await session.pool.run("measureFacts", payload, { priority: PRIORITY.measure, signal });
    return facts[key] as PsfStarsFact[];
  });
  return useMemo(() => {
    if (!found) return null;
    const back = inverse((first && stack && projectToStack(first, stack)) ?? IDENTITY);
    const channels = found.flatMap((one) => one.channels);
    const [stars] = channels.flatMap((channel) => (channel ? [channel.stars] : []));
    const places = (stars ?? []).map(({ x, y }): Corner => [...mapPoint(back, x, y)]);
    return { channels, places, isStale: !isCurrent };
  }, [found, isCurrent, first, stack]);
}
