"use client";

import type { Spot } from "@/core/compare";
import { useSession } from "../frame/session";
import { Choice } from "../kit/choice";

/** Which spot a layout of one spot shows. */
export function SpotChoice({ spots, shown }: { spots: Spot[]; shown: Spot }) {
  const session = useSession();
  return (
    <Choice
      label="Spot that is shown"
      help="The spot that is shown; comma and period go to the one before and after"
      value={shown.id}
      options={spots.map(({ id, name }) => ({ value: id, label: name }))}
      onChange={(spotId) => session.board.amend((b) => ({ ...b, look: { ...b.look, spotId } }))}
    />
  );
}
