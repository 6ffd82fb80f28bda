"use client";

import { hasHalves } from "@/storage";
import type { Board, StackRecord } from "@/storage";
import { displayedWords } from "@/state/display";
import { NOISE_COLOURS } from "../viewer/display";
import { NOISE_SPAN, STRETCHED_SPAN } from "./useLaneCrop";

const rgb = (colour: readonly number[]): string => `rgb(${colour.join()})`;

/** Says what is shown otherwise than alike: levels of a lane's own or of another's, and noise in false colour with its scale. */
export function ShownLine({ board, stacks }: { board: Board; stacks: StackRecord[] }) {
  const words = displayedWords(board);
  const isNoise =
    board.look.shows.part === "noise" && !(board.look.layout === "pair" && board.look.way === "difference");
  if (words === "" && !isNoise) return null;
  const lacking = board.lanes.filter(({ stackId }) =>
    stacks.some((stack) => stack.id === stackId && !hasHalves(stack)),
  );
  const { under, over } = NOISE_COLOURS;
  return (
    <p
      className="flex shrink-0 items-center gap-3 border-b border-line bg-panel px-2 py-0.5 text-sm text-quiet"
      data-testid="shown-line"
    >
      {isNoise ? (
        <span className="flex items-center gap-1.5 whitespace-nowrap">
          Noise left, from the halves: −{NOISE_SPAN} σ
          <span
            aria-hidden
            className="inline-block h-2 w-20"
            style={{ background: `linear-gradient(to right, ${rgb(under)}, black, ${rgb(over)})` }}
          />
          +{NOISE_SPAN} σ of the stack’s (stretched lanes ±{100 * STRETCHED_SPAN} % of white)
          {lacking.length > 0 ? `; none is told of lane ${lacking.map(({ letter }) => letter).join(", ")}` : ""}
        </span>
      ) : null}
      {words === "" ? null : <span className="truncate">Display: {words}</span>}
    </p>
  );
}
