"use client";

import { useVirtualizer } from "@tanstack/react-virtual";
import { CircleOff, Cloud, Copy, Slash, Star } from "lucide-react";
import { useEffect, useRef } from "react";
import type { GradedFrame, MeasureId, Verdict } from "@/core/choose";
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
}

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
  } = props;
  const box = useRef<HTMLDivElement>(null);
  const height = thumbnails ? 42 : 24;
  const rows = useVirtualizer({
    count: frames.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 12,
  });
  const at = frames.findIndex(({ id }) => id === currentId);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at, { align: "auto" });
  }, [at]); // eslint-disable-line react-hooks/exhaustive-deps -- only when the current sub changes
  useEffect(() => rows.measure(), [height]); // eslint-disable-line react-hooks/exhaustive-deps
  const selected = new Set(selection);
  const head = (key: SortKey, label: string, width: string, help: string) => (
    <button
      key={key}
      type="button"
      role="columnheader"
      title={help}
      data-help={help}
      aria-sort={sort.key === key ? (sort.down ? "descending" : "ascending") : "none"}
      className={`${width} px-1 leading-tight ${key === "name" ? "text-left" : "text-right"} ${sort.key === key ? "text-text" : "text-quiet"} hover:text-text`}
      onClick={() => onSort(key)}
    >
      {label}
      {sort.key === key ? (sort.down ? " ↓" : " ↑") : ""}
    </button>
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col text-sm" role="table" aria-label="Subs">
      <div className="flex h-10 shrink-0 items-center border-b border-line pr-2" role="row">
        <span className="w-8" />
        {head("name", "Name", "min-w-0 flex-1", "Sort by name")}
        {columns.map((id) => {
          const { short, unit, help, label } = measureOf(id);
          return head(id, unit ? `${short} ${unit}` : short, "w-[68px]", `${label}: ${help}`);
        })}
      </div>
      <div ref={box} className="min-h-0 flex-1 overflow-auto" tabIndex={-1}>
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((item) => {
            const frame = frames[item.index];
            const sub = subs.get(frame.id);
            const verdict = verdicts.get(frame.id);
            const included = verdict?.included !== false;
            const flags = flagsOf(frame);
            const why = verdict?.reasons.join("; ") ?? "";
            const mark = selected.has(frame.id) ? "bg-line" : frame.id === currentId ? "bg-raised" : "hover:bg-panel";
            return (
              <div
                key={frame.id}
                role="row"
                aria-selected={frame.id === currentId || selected.has(frame.id)}
                data-sub={frame.name}
                title={why}
                className={`absolute flex w-full cursor-pointer items-center pr-2 select-none ${mark} ${frame.id === currentId ? "shadow-[inset_2px_0_0_#e0a44a]" : ""} ${included ? "" : "text-quiet"}`}
                style={{ height, top: item.start }}
                onClick={(event) => onPick(frame.id, { ctrl: event.ctrlKey || event.metaKey, shift: event.shiftKey })}
              >
                <span className="flex w-8 justify-center">
                  <input
                    type="checkbox"
                    aria-label={`Include ${frame.name}`}
                    className="accent-[#a3a3a3]"
                    checked={included}
                    onClick={(event) => event.stopPropagation()}
                    onChange={(event) => onDecide(frame.id, event.target.checked)}
                  />
                </span>
                {thumbnails && sub ? <Thumbnail sub={sub} height={height - 4} /> : null}
                <span className="flex min-w-0 flex-1 gap-2 px-1">
                  <span
                    className={`min-w-0 shrink-0 truncate ${frame.id === referenceId ? "text-accent" : ""} ${included ? "" : "max-w-[75%] line-through decoration-line"}`}
                  >
                    {frame.name}
                  </span>
                  {why ? <span className="min-w-0 truncate">{why}</span> : null}
                </span>
                <span className="flex shrink-0 gap-0.5 text-quiet">
                  {sub?.candidate ? <Star size={12} aria-label="candidate" /> : null}
                  {flags.includes("trail") ? <Slash size={12} aria-label="trail" /> : null}
                  {flags.includes("cloud") ? <Cloud size={12} aria-label="cloud" /> : null}
                  {flags.includes("double") ? <Copy size={12} aria-label="double image" /> : null}
                  {flags.includes("black") ? <CircleOff size={12} aria-label="black is cut off" /> : null}
                </span>
                {columns.map((id) => {
                  const { value, digits } = measureOf(id);
                  return (
                    <span key={id} className="figures w-[68px] px-1 text-right">
                      {fixed(value(frame), digits)}
                    </span>
                  );
                })}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
