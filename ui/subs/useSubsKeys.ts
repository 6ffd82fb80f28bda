"use client";

import { toast } from "sonner";
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
  const said = (words: string | null, done: string, nothing: string) => toast(words ? `${done}: ${words}` : nothing);
  useKeys("mod+z", (event) => {
    event.preventDefault();
    said(session.subs.undo(), "Taken back", "There is nothing to take back");
  });
  useKeys("mod+shift+z,mod+y", (event) => {
    event.preventDefault();
    said(session.subs.redo(), "Made again", "There is nothing to make again");
  });
  useKeys("delete", () => removeSubs(session, chosen.chosen), [chosen]);
  useKeys("esc", () => current && session.subs.select(current.id), [current]);
}
