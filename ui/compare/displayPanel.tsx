"use client";

import { linkedLane, ownDisplay, setDisplay } from "@/state/display";
import type { Board, Lane, Look, Shows } from "@/storage";
import { SHOWN_PARTS } from "@/storage";
import { useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { ShownPanel } from "../viewer/shownPanel";

const PART_WORDS: Record<Shows["part"], string> = {
  colour: "colours",
  red: "red",
  green: "green",
  blue: "blue",
  luminance: "luminance",
  saturation: "saturation",
  noise: "noise in false colour",
};
/** The choice of levels that links no lane to another. */
const EACH = "each";
const SHOWN_TICKS = [
  { name: "inverse", label: "black for white" },
  { name: "marksClipped", label: "mark what is shown black or white" },
  { name: "grid", label: "lines between pixels at 8:1" },
] as const;

interface Props {
  board: Board;
  /** The chosen lane. */
  lane: Lane | null;
  onLook: (part: Partial<Look>) => void;
}

/** How all crops are shown: the curve, whose levels, and what of them. */
export function DisplayPanel({ board, lane, onLook }: Props) {
  const session = useSession();
  const { shows } = board.look;
  return (
    <ShownPanel
      className="absolute top-[5px] right-1 z-10 max-w-[28%]"
      display={lane?.display ?? board.display}
      of={lane?.display ? lane.letter : null}
      onChange={(part) =>
        session.board.change(
          (b) => setDisplay(b, lane, part),
          `display.${lane?.display ? lane.id : ""}.${Object.keys(part).join()}`,
        )
      }
    >
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1 text-quiet">Levels</span>
        <Choice
          label="By whose levels the lanes are shown"
          help="Each lane on the levels of its own stack, or all lanes by exactly the levels of one"
          value={linkedLane(board)?.id ?? EACH}
          options={[
            { value: EACH, label: "each stack’s" },
            ...board.lanes.map(({ id, letter }) => ({ value: id, label: `of lane ${letter} for all` })),
          ]}
          onChange={(id) => onLook({ levelsOf: id === EACH ? null : id })}
        />
      </div>
      {lane ? (
        <label className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            checked={lane.display !== undefined}
            onChange={(event) => session.board.change((b) => ownDisplay(b, lane.id, event.target.checked))}
          />
          levels of its own for lane {lane.letter}
        </label>
      ) : null}
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1 text-quiet">Shows</span>
        <Choice
          label="What of the crops is shown"
          help="Colours, one channel, or what is made of them; the data stay as they are"
          value={shows.part}
          options={SHOWN_PARTS.map((part) => ({ value: part, label: PART_WORDS[part] }))}
          onChange={(part) => onLook({ shows: { ...shows, part } })}
        />
      </div>
      {SHOWN_TICKS.map(({ name, label }) => (
        <label key={name} className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            checked={shows[name]}
            onChange={(event) => onLook({ shows: { ...shows, [name]: event.target.checked } })}
          />
          {label}
        </label>
      ))}
    </ShownPanel>
  );
}
