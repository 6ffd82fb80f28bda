"use client";

import { Copy, Ellipsis, X } from "lucide-react";
import { chainWords } from "@/core/chain";
import type { Lane } from "@/storage";
import type { MenuEntry } from "../kit/actionMenu";
import { ActionMenu } from "../kit/actionMenu";
import { IconButton } from "../kit/button";
import type { useSorted } from "../kit/sortable";
import { Grip } from "../kit/sortable";
import { laneColour } from "../kit/laneColours";

export function LaneChip({ letter }: { letter: string }) {
  const { colour, dashed } = laneColour(letter);
  return (
    <span
      className="figures inline-flex h-5 min-w-5 items-center justify-center rounded-sm px-1"
      style={{ color: colour, border: `1px ${dashed ? "dashed" : "solid"} ${colour}` }}
    >
      {letter}
    </span>
  );
}

/** What a lane does, in a few words. */
export const laneWords = ({ steps }: Lane): string => chainWords(steps);

/** Time of one crop, in words. */
export function cropTime(ms: number | null): string {
  return ms === null ? "" : `${Math.round(ms)} ms`;
}

interface Props {
  lane: Lane;
  selected: boolean;
  settling: boolean;
  /** Milliseconds that a crop of this lane took; null before the first. */
  cropMs: number | null;
  /** What it is dragged by. */
  grip: ReturnType<typeof useSorted>["grip"];
  /** What else can be done with it. */
  entries: readonly MenuEntry[];
  onSelect: () => void;
  onDuplicate?: () => void;
  onRemove?: () => void;
}

export function LaneHeader(props: Props) {
  const { lane, selected, settling, cropMs, grip, entries, onSelect, onDuplicate, onRemove } = props;
  const { colour, dashed } = laneColour(lane.letter);
  return (
    <div
      className={`flex h-15 min-w-0 flex-col px-1.5 pt-1 ${selected ? "bg-raised" : "bg-panel"}`}
      style={{ borderTop: `2px ${dashed ? "dashed" : "solid"} ${colour}` }}
      data-lane={lane.letter}
    >
      <button
        type="button"
        className="flex min-h-0 min-w-0 flex-1 items-start gap-1.5 text-left"
        title={`${laneWords(lane)}. ${lane.note ? `${lane.note}. ` : ""}Click to change this lane's chain.`}
        data-help="A lane, one approach; click to change its chain at the right"
        aria-pressed={selected}
        onClick={onSelect}
      >
        <LaneChip letter={lane.letter} />
        <span className="line-clamp-2 min-w-0 text-sm leading-4">{laneWords(lane)}</span>
      </button>
      <div className="flex h-6 shrink-0 items-center">
        <Grip
          label={`Drag lane ${lane.letter} to another place`}
          help="Drag a lane to another place"
          className="-ml-1.5"
          grip={grip}
        />
        <span className="figures min-w-0 flex-1 truncate text-xs tracking-tighter text-quiet" title="Time of one crop">
          {settling ? "measuring the picture …" : cropTime(cropMs)}
        </span>
        <ActionMenu entries={entries}>
          <button
            type="button"
            aria-label={`More of lane ${lane.letter}`}
            title={`More of lane ${lane.letter}: move it, copy its chain, bring lanes back`}
            data-help="Moves lanes, copies chains, brings lanes back"
            className="inline-flex h-6 w-6 shrink-0 items-center justify-center rounded text-quiet hover:bg-raised hover:text-text"
          >
            <Ellipsis size={12} />
          </button>
        </ActionMenu>
        {onDuplicate ? (
          <IconButton
            help="Duplicates the lane"
            label={`Duplicate lane ${lane.letter}`}
            className="shrink-0"
            onClick={onDuplicate}
          >
            <Copy size={12} />
          </IconButton>
        ) : null}
        {onRemove ? (
          <IconButton
            help="Removes the lane"
            label={`Remove lane ${lane.letter}`}
            className="shrink-0"
            onClick={onRemove}
          >
            <X size={12} />
          </IconButton>
        ) : null}
      </div>
    </div>
  );
}
