"use client";

import { useKeys } from "../kit/useKeys";
import { useSession } from "../frame/session";
import type { JudgingLook } from "./flipPicture";
import { removeSubs } from "./removeSubs";
import type { Chosen } from "./useChosen";

/** The keys of the Subs screen. */
export function useSubsKeys(
  chosen: Chosen,
  judging: JudgingLook,
  judge: (part: Partial<JudgingLook>) => void,
  togglePlaying: () => void,
): void {
  const session = useSession();
  const { current, step } = chosen;
  useKeys("left,up", (event) => (event.preventDefault(), step(-1)), [step]);
  useKeys("right,down", (event) => (event.preventDefault(), step(1)), [step]);
  useKeys("space", (event) => (event.preventDefault(), togglePlaying()));
  useKeys("o", chosen.toggleDecision, [chosen]);
  useKeys("shift+o", () => session.subs.decide(chosen.chosen, null), [chosen]);
  useKeys("l", () => current && session.subs.markRival(current.id), [current]);
  useKeys("t", chosen.toRivalAndBack, [chosen]);
  useKeys("m", chosen.matchToThis, [chosen]);
  useKeys("a", () => judge({ asItCame: !judging.asItCame }), [judging]);
  useKeys("k", () => judge({ patches: !judging.patches }), [judging, judge]);
  useKeys("mod+a", (event) => (event.preventDefault(), chosen.selectAll()), [chosen]);
  useKeys("delete", () => removeSubs(session, chosen.chosen), [chosen]);
  useKeys("esc", () => current && session.subs.select(current.id), [current]);
}
