"use client";

import {
  Columns2,
  Crosshair,
  Equal,
  Grid3x3,
  PanelLeft,
  PanelRight,
  Rows3,
  ShieldCheck,
  Square,
  Table,
  VenetianMask,
  ZoomIn,
} from "lucide-react";
import type { ReactNode } from "react";
import { groupsOf, spotOf } from "@/state/board";
import { linkedLane, ownDisplay, setDisplay } from "@/state/display";
import type { Board, Layout, Look, Shows } from "@/storage";
import { LAYOUTS, SHOWN_PARTS, ZOOMS } from "@/storage";
import { useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { ShownPanel } from "../viewer/shownPanel";
import { useDesk, useDeskStore } from "./desk";
import { SpotChoice } from "./spotChoice";

const LAYOUT_WORDS: Record<Layout, { label: string; icon: ReactNode }> = {
  matrix: { label: "All lanes at all spots (M)", icon: <Grid3x3 size={16} /> },
  spot: { label: "All lanes at one spot (S)", icon: <Square size={16} /> },
  lane: { label: "The chosen lane at all spots (L)", icon: <Rows3 size={16} /> },
  pair: { label: "Two lanes over each other (P)", icon: <Columns2 size={16} /> },
  whole: { label: "Whole pictures with a loupe (O)", icon: <ZoomIn size={16} /> },
};

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
/** The choice of all lanes; no group is called so. */
const ALL = "\u0000all";
const SHOWN_TICKS = [
  { name: "inverse", label: "black for white" },
  { name: "marksClipped", label: "mark what is shown black or white" },
  { name: "grid", label: "lines between pixels at 8:1" },
] as const;

/** Above the crops: their zoom, the way back to the spots, and how all of them are shown. */
export function ViewBar({ board }: { board: Board }) {
  const session = useSession();
  const { zoom, panX, panY } = board.view;
  const { look } = board;
  const { layout, shows } = look;
  const groups = groupsOf(board);
  const desk = useDeskStore();
  const bar = useDesk((state) => state.bar);
  const lane = board.lanes.find(({ id }) => id === board.selectedLaneId) ?? null;
  const linked = linkedLane(board);
  const spot = spotOf(board);
  const setLook = (part: Partial<Look>) => session.board.amend((b) => ({ ...b, look: { ...b.look, ...part } }));
  return (
    <div
      // What has no room beside the display's panel goes on a second row, never under it.
      className="relative flex min-h-8 shrink-0 flex-wrap items-center gap-x-1.5 border-b border-line bg-panel py-px pr-[calc(28%+8px)] pl-2 2xl:pr-60"
    >
      <div
        className="flex gap-0.5"
        role="group"
        aria-label="Zoom of all crops"
        data-help="Zoom of all crops: keys 0 1 2 3 4"
      >
        {ZOOMS.map((step) => (
          <button
            key={step}
            type="button"
            aria-pressed={zoom === step}
            className={`figures w-8 rounded border py-0.5 ${zoom === step ? "border-quiet text-text" : "border-line text-quiet hover:text-text"}`}
            onClick={() => session.board.amend((b) => ({ ...b, view: { ...b.view, zoom: step } }))}
          >
            {step === "fit" ? "fit" : `${step}:1`}
          </button>
        ))}
      </div>
      <div
        className="flex"
        role="group"
        aria-label="Layout of the crops"
        data-help="Layout of the crops: keys M S L P O"
      >
        {LAYOUTS.map((one) => (
          <Press
            key={one}
            label={LAYOUT_WORDS[one].label}
            isOn={layout === one}
            onClick={() => setLook({ layout: one })}
          >
            {LAYOUT_WORDS[one].icon}
          </Press>
        ))}
      </div>
      {groups.length > 0 ? (
        <Choice
          label="Lanes that are shown"
          help="All lanes, or those of one group"
          value={look.group !== null && groups.includes(look.group) ? look.group : ALL}
          options={[{ value: ALL, label: "all lanes" }, ...groups.map((name) => ({ value: name, label: name }))]}
          onChange={(name) => setLook({ group: name === ALL ? null : name })}
        />
      ) : null}
      {layout === "spot" && spot && look.foldedSpots ? <SpotChoice spots={board.spots} shown={spot} /> : null}
      <div className="flex" role="group" aria-label="Panels">
        <Press
          label="Spots, the panel at the left (Q)"
          isOn={!board.look.foldedSpots}
          onClick={() => setLook({ foldedSpots: !board.look.foldedSpots })}
        >
          <PanelLeft size={16} />
        </Press>
        <Press
          label="The panel at the right (W)"
          isOn={!board.look.foldedSide}
          onClick={() => setLook({ foldedSide: !board.look.foldedSide })}
        >
          <PanelRight size={16} />
        </Press>
        <Press
          label="Evidence from the halves in place of the chain (E)"
          isOn={board.look.side === "evidence" && !board.look.foldedSide}
          onClick={() => setLook({ side: board.look.side === "evidence" ? "chain" : "evidence", foldedSide: false })}
        >
          <ShieldCheck size={16} />
        </Press>
      </div>
      <Press
        label="Table of measures (T)"
        isOn={board.look.measures}
        onClick={() => setLook({ measures: !board.look.measures })}
      >
        <Table size={16} />
      </Press>
      <Press
        label="Make lanes equal in noise or sharpness (N)"
        isOn={bar === "equal"}
        onClick={() => desk.setState({ bar: bar === "equal" ? null : "equal" })}
      >
        <Equal size={16} />
      </Press>
      <Press
        label="Blind trial: lanes against one another without their names"
        isOn={bar === "blind"}
        onClick={() => desk.setState({ bar: bar === "blind" ? null : "blind" })}
      >
        <VenetianMask size={16} />
      </Press>
      {panX !== 0 || panY !== 0 ? (
        <IconButton
          label="Back to the spots"
          help="Moves all crops back to their spots (Home)"
          onClick={() => session.board.amend((b) => ({ ...b, view: { ...b.view, panX: 0, panY: 0 } }))}
        >
          <Crosshair size={16} />
        </IconButton>
      ) : null}
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
            value={linked?.id ?? EACH}
            options={[
              { value: EACH, label: "each stack’s" },
              ...board.lanes.map(({ id, letter }) => ({ value: id, label: `of lane ${letter} for all` })),
            ]}
            onChange={(id) => setLook({ levelsOf: id === EACH ? null : id })}
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
            onChange={(part) => setLook({ shows: { ...shows, part } })}
          />
        </div>
        {SHOWN_TICKS.map(({ name, label }) => (
          <label key={name} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={shows[name]}
              onChange={(event) => setLook({ shows: { ...shows, [name]: event.target.checked } })}
            />
            {label}
          </label>
        ))}
      </ShownPanel>
    </div>
  );
}

/** A button that stays down. */
function Press({
  label,
  isOn,
  onClick,
  children,
}: {
  label: string;
  isOn: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      title={label}
      aria-label={label}
      data-help={label}
      aria-pressed={isOn}
      className={`inline-flex h-6 w-7 items-center justify-center rounded ${isOn ? "text-text" : "text-quiet opacity-60 hover:text-text"}`}
      onClick={onClick}
    >
      {children}
    </button>
  );
}
