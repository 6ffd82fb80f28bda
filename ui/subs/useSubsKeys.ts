"use client";

import { useHotkeys } from "react-hotkeys-hook";
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
  useHotkeys("left,up", (event) => (event.preventDefault(), step(-1)), [step]);
  useHotkeys("right,down", (event) => (event.preventDefault(), step(1)), [step]);
  useHotkeys("space", (event) => (event.preventDefault(), togglePlaying()));
  useHotkeys("o", chosen.toggleDecision, [chosen]);
  useHotkeys("shift+o", () => session.subs.decide(chosen.chosen, null), [chosen]);
  useHotkeys("l", () => current && session.subs.markRival(current.id), [current]);
  useHotkeys("t", chosen.toRivalAndBack, [chosen]);
  useHotkeys("m", chosen.matchToThis, [chosen]);
  useHotkeys("a", () => judge({ asItCame: !judging.asItCame }), [judging]);
  useHotkeys("k", () => judge({ patches: !judging.patches }), [judging, judge]);
  useHotkeys("mod+a", (event) => (event.preventDefault(), chosen.selectAll()), [chosen]);
  useHotkeys("delete", () => removeSubs(session, chosen.chosen), [chosen]);
  useHotkeys("esc", () => current && session.subs.select(current.id), [current]);
}
