"use client";

import { useVirtualizer } from "@tanstack/react-virtual";
import type { LucideIcon } from "lucide-react";
import { Anchor, CircleOff, Cloud, Copy, Pin, Slash } from "lucide-react";
import { useEffect, useRef } from "react";
import type { Flag, GradedFrame, MeasureId, Verdict } from "@/core/choose";
import { flagsOf, measureOf } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { fixed } from "../kit/format";
import type { Sort, SortKey } from "./grades";
import { Thumbnail } from "./thumbnail";

interface Props {
  frames: GradedFrame[];
  subs: ReadonlyMap<string, SubRecord>;
  verdicts: ReadonlyMap<string, Verdict>;
  columns: readonly MeasureId[];
  thumbnails: boolean;
  currentId: string | null;
  selection: readonly string[];
  referenceId: string | null;
  sort: Sort;
  onSort: (key: SortKey) => void;
  onPick: (id: string, keys: { ctrl: boolean; shift: boolean }) => void;
  onDecide: (id: string, include: boolean) => void;
  onRival: (id: string) => void;
}

/** Height of the line that shows why a frame is left out. */
const REASON = 15;

/** What is wrong with a frame, in a picture and in words. */
const FLAGS: Record<Flag, { Icon: LucideIcon; label: string; help: string }> = {
  trail: { Icon: Slash, label: "trail", help: "A trail crosses it; the stack leaves the trail out" },
  cloud: { Icon: Cloud, label: "cloud", help: "Cloud: its stars are fainter than 85 % of the reference's" },
  double: { Icon: Copy, label: "double image", help: "A double image: the mount jumped; the stack leaves it out" },
  black: { Icon: CircleOff, label: "black is cut off", help: "Black is cut off: its noise is not known" },
};

/** The measures of every light; only the rows in sight are made. */
export function SubsTable(props: Props) {
  const {
    frames,
    subs,
    verdicts,
    columns,
    thumbnails,
    currentId,
    selection,
    referenceId,
    sort,
    onSort,
    onPick,
    onDecide,
    onRival,
  } = props;
  const box = useRef<HTMLDivElement>(null);
  const height = thumbnails ? 42 : 24;
  const reasonOf = (frame: GradedFrame | undefined): string =>
    frame ? (verdicts.get(frame.id)?.reasons.join("; ") ?? "") : "";
  const rows = useVirtualizer({
    count: frames.length,
    getScrollElement: () => box.current,
    estimateSize: (index) => height + (reasonOf(frames[index]) ? REASON : 0),
    overscan: 12,
  });
  const at = frames.findIndex(({ id }) => id === currentId);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at, { align: "auto" });
  }, [rows, at]);
  useEffect(() => rows.measure(), [rows, height, verdicts, frames]);
  const selected = new Set(selection);
  return (
    <div className="flex min-h-0 flex-1 flex-col text-sm" role="table" aria-label="Subs">
      <div role="row" className="flex h-10 shrink-0 items-center border-b border-line pr-2">
        <span className="w-8" role="columnheader" aria-label="In or out" />
        <Head of="name" label="Name" width="min-w-0 flex-1" help="Sort by name" {...{ sort, onSort }} />
        {columns.map((id) => {
          const { short, unit, help, label } = measureOf(id);
          return (
            <Head
              key={id}
              of={id}
              label={unit ? `${short} ${unit}` : short}
              width="w-[68px]"
              help={`${label}: ${help}`}
              {...{ sort, onSort }}
            />
          );
        })}
      </div>
      <div ref={box} role="rowgroup" className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="Rows">
        <div role="presentation" style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((item) => {
            const frame = frames[item.index];
            return (
              <SubRow
                key={frame.id}
                frame={frame}
                sub={subs.get(frame.id)}
                verdict={verdicts.get(frame.id)}
                why={reasonOf(frame)}
                place={{ top: item.start, height: item.size, line: height }}
                {...{ columns, thumbnails, onPick, onDecide, onRival }}
                isCurrent={frame.id === currentId}
                isSelected={selected.has(frame.id)}
                isReference={frame.id === referenceId}
              />
            );
          })}
        </div>
      </div>
    </div>
  );
}

/** What a column shows; a click sorts by it, another the other way round. */
function Head({
  of,
  label,
  width,
  help,
  sort,
  onSort,
}: Pick<Props, "sort" | "onSort"> & { of: SortKey; label: string; width: string; help: string }) {
  const isSorted = sort.key === of;
  return (
    <div role="columnheader" aria-sort={isSorted ? (sort.down ? "descending" : "ascending") : "none"} className={width}>
      <button
        type="button"
        title={help}
        data-help={help}
        className={`w-full px-1 leading-tight ${of === "name" ? "text-left" : "text-right"} ${isSorted ? "text-text" : "text-quiet"} hover:text-text`}
        onClick={() => onSort(of)}
      >
        {label}
        {isSorted ? (sort.down ? " ↓" : " ↑") : ""}
      </button>
    </div>
  );
}

interface RowProps extends Pick<Props, "columns" | "thumbnails" | "onPick" | "onDecide" | "onRival"> {
  frame: GradedFrame;
  sub: SubRecord | undefined;
  verdict: Verdict | undefined;
  why: string;
  /** Of the row in the list, and the height of its first line, px. */
  place: { top: number; height: number; line: number };
  isCurrent: boolean;
  isSelected: boolean;
  isReference: boolean;
}

function SubRow(props: RowProps) {
  const { frame, sub, verdict, why, place, columns, thumbnails, onPick, onDecide, onRival } = props;
  const { isCurrent, isSelected, isReference } = props;
  const included = verdict?.included !== false;
  const mark = isSelected ? "bg-line" : isCurrent ? "bg-raised" : "hover:bg-panel";
  return (
    <div
      role="row"
      aria-selected={isCurrent || isSelected}
      data-sub={frame.name}
      title={why}
      className={`group absolute w-full cursor-pointer pr-2 select-none ${mark} ${isCurrent ? "shadow-[inset_2px_0_0_#e0a44a]" : ""} ${included ? "" : "text-quiet"}`}
      style={{ height: place.height, top: place.top }}
      onClick={(event) => onPick(frame.id, { ctrl: event.ctrlKey || event.metaKey, shift: event.shiftKey })}
    >
      <div role="presentation" className="flex items-center" style={{ height: place.line }}>
        <span role="cell" className="flex w-8 justify-center">
          <input
            type="checkbox"
            aria-label={`Include ${frame.name}`}
            className="accent-[#a3a3a3]"
            checked={included}
            onClick={(event) => event.stopPropagation()}
            onChange={(event) => onDecide(frame.id, event.target.checked)}
          />
        </span>
        <span role="cell" className="flex min-w-0 flex-1 items-center gap-2 px-1">
          {thumbnails && sub ? <Thumbnail sub={sub} height={place.line - 4} /> : null}
          <span className={`min-w-0 truncate ${included ? "" : "line-through decoration-line"}`}>{frame.name}</span>
        </span>
        <RowMarks {...{ frame, sub, isReference, onRival }} />
        {columns.map((id) => {
          const { value, digits } = measureOf(id);
          return (
            <span key={id} role="cell" className="figures w-[68px] px-1 text-right">
              {fixed(value(frame), digits)}
            </span>
          );
        })}
      </div>
      {why ? (
        <div role="cell" className="truncate pl-9 text-xs leading-[13px] text-quiet" data-testid="reason">
          {why}
        </div>
      ) : null}
    </div>
  );
}

/** Whether a row is the reference or the rival, and what is wrong with its frame. */
function RowMarks({ frame, sub, isReference, onRival }: Pick<RowProps, "frame" | "sub" | "isReference" | "onRival">) {
  const flags = flagsOf(frame);
  return (
    <span role="cell" className="flex shrink-0 items-center gap-0.5 text-quiet">
      {isReference ? (
        <span
          data-reference
          title="The reference: the other subs are matched to it"
          className="mr-0.5 flex items-center gap-1 rounded-sm border border-line px-1 text-xs leading-4 text-text"
        >
          <Anchor size={10} aria-label="reference" />
          ref
        </span>
      ) : null}
      <button
        type="button"
        aria-label={`${frame.name} is the rival`}
        aria-pressed={sub?.rival === true}
        title="The rival: T goes there and back (L)"
        data-help="Makes a row the rival, to which T goes and back (L)"
        className={`hover:text-text focus:opacity-100 ${sub?.rival ? "text-text" : "opacity-0 group-hover:opacity-100"}`}
        onClick={(event) => (event.stopPropagation(), onRival(frame.id))}
      >
        <Pin size={12} fill={sub?.rival ? "currentColor" : "none"} />
      </button>
      {flags.map((flag) => {
        const { Icon, label, help } = FLAGS[flag];
        return (
          <span key={flag} title={help} data-help={help}>
            <Icon size={12} aria-label={label} />
          </span>
        );
      })}
    </span>
  );
}
