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
import type { Board, Layout, Look } from "@/storage";
import { LAYOUTS, ZOOMS } from "@/storage";
import { useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { useDesk, useDeskStore } from "./desk";
import { DisplayPanel } from "./displayPanel";
import { SpotChoice } from "./spotChoice";

const LAYOUT_WORDS: Record<Layout, { label: string; icon: ReactNode }> = {
  matrix: { label: "All lanes at all spots (M)", icon: <Grid3x3 size={16} /> },
  spot: { label: "All lanes at one spot (S)", icon: <Square size={16} /> },
  lane: { label: "The chosen lane at all spots (L)", icon: <Rows3 size={16} /> },
  pair: { label: "Two lanes over each other (P)", icon: <Columns2 size={16} /> },
  whole: { label: "Whole pictures with a loupe (O)", icon: <ZoomIn size={16} /> },
};

/** The choice of all lanes; no group is called so. */
const ALL = "\u0000all";
/** Above the crops: their zoom, the way back to the spots, and how all of them are shown. */
export function ViewBar({ board }: { board: Board }) {
  const session = useSession();
  const { look, view } = board;
  const groups = groupsOf(board);
  const lane = board.lanes.find(({ id }) => id === board.selectedLaneId) ?? null;
  const spot = spotOf(board);
  const setLook = (part: Partial<Look>) => session.board.amend((b) => ({ ...b, look: { ...b.look, ...part } }));
  return (
    <div
      // What has no room beside the display's panel goes on a second row, never under it.
      className="relative flex min-h-8 shrink-0 flex-wrap items-center gap-x-1.5 border-b border-line bg-panel py-px pr-[calc(28%+8px)] pl-2 2xl:pr-60"
    >
      <ZoomButtons zoom={view.zoom} />
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
            isOn={look.layout === one}
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
      {look.layout === "spot" && spot && look.foldedSpots ? <SpotChoice spots={board.spots} shown={spot} /> : null}
      <PanelButtons look={look} onLook={setLook} />
      <BarButtons />
      {view.panX !== 0 || view.panY !== 0 ? (
        <IconButton
          label="Back to the spots"
          help="Moves all crops back to their spots (Home)"
          onClick={() => session.board.amend((b) => ({ ...b, view: { ...b.view, panX: 0, panY: 0 } }))}
        >
          <Crosshair size={16} />
        </IconButton>
      ) : null}
      <DisplayPanel board={board} lane={lane} onLook={setLook} />
    </div>
  );
}

function ZoomButtons({ zoom }: { zoom: Board["view"]["zoom"] }) {
  const session = useSession();
  return (
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
  );
}

/** Which panels lie open beside and below the crops. */
function PanelButtons({ look, onLook }: { look: Look; onLook: (part: Partial<Look>) => void }) {
  const isEvidence = look.side === "evidence";
  return (
    <>
      <div className="flex" role="group" aria-label="Panels">
        <Press
          label="Spots, the panel at the left (Q)"
          isOn={!look.foldedSpots}
          onClick={() => onLook({ foldedSpots: !look.foldedSpots })}
        >
          <PanelLeft size={16} />
        </Press>
        <Press
          label="The panel at the right (W)"
          isOn={!look.foldedSide}
          onClick={() => onLook({ foldedSide: !look.foldedSide })}
        >
          <PanelRight size={16} />
        </Press>
        <Press
          label="Evidence from the halves in place of the chain (E)"
          isOn={isEvidence && !look.foldedSide}
          onClick={() => onLook({ side: isEvidence ? "chain" : "evidence", foldedSide: false })}
        >
          <ShieldCheck size={16} />
        </Press>
      </div>
      <Press label="Table of measures (T)" isOn={look.measures} onClick={() => onLook({ measures: !look.measures })}>
        <Table size={16} />
      </Press>
    </>
  );
}

/** What can lie open above the crops. */
function BarButtons() {
  const desk = useDeskStore();
  const bar = useDesk((state) => state.bar);
  const toggle = (one: NonNullable<typeof bar>) => desk.setState({ bar: bar === one ? null : one });
  return (
    <>
      <Press label="Make lanes equal in noise or sharpness (N)" isOn={bar === "equal"} onClick={() => toggle("equal")}>
        <Equal size={16} />
      </Press>
      <Press
        label="Blind trial: lanes against one another without their names"
        isOn={bar === "blind"}
        onClick={() => toggle("blind")}
      >
        <VenetianMask size={16} />
      </Press>
    </>
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
