"use client";

import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { SubRecord } from "@/storage";
import { useSession } from "../frame/session";
import { fixed, levelUnit } from "../kit/format";
import { COLUMNS, type SortKey, valueOf } from "./subsColumns";

interface Props {
  subs: SubRecord[];
  transmission: Map<string, number>;
  currentId: string | null;
  referenceId: string | null;
  sort: { key: SortKey; down: boolean };
  onSort: (key: SortKey) => void;
}

const ROW = 24;

/** The measures of every sub; only the rows in sight are made. */
export function SubsTable({ subs, transmission, currentId, referenceId, sort, onSort }: Props) {
  const session = useSession();
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: subs.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const at = subs.findIndex((sub) => sub.id === currentId);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at, { align: "auto" });
  }, [at]); // eslint-disable-line react-hooks/exhaustive-deps -- only when the current sub changes
  const unit = levelUnit(subs[0]?.bitpix ?? 16);
  const head = (key: SortKey, label: string, width: string, help: string) => (
    <button
      key={key}
      type="button"
      role="columnheader"
      title={help}
      data-help={help}
      aria-sort={sort.key === key ? (sort.down ? "descending" : "ascending") : "none"}
      className={`${width} px-1 ${key === "name" ? "text-left" : "text-right"} ${sort.key === key ? "text-text" : "text-quiet"} hover:text-text`}
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
        {COLUMNS.map(({ key, label, unit: own, help, width }) => {
          const shown = key === "background" || key === "noise" ? unit.unit : own;
          return head(key, shown ? `${label} ${shown}` : label, width, help);
        })}
      </div>
      <div ref={box} className="min-h-0 flex-1 overflow-auto">
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((item) => {
            const sub = subs[item.index];
            return (
              <div
                key={sub.id}
                role="row"
                aria-selected={sub.id === currentId}
                data-sub={sub.name}
                className={`absolute flex w-full cursor-pointer items-center pr-2 ${sub.id === currentId ? "bg-raised" : "hover:bg-panel"} ${sub.included ? "" : "text-quiet line-through decoration-line"}`}
                style={{ height: ROW, top: item.start }}
                onClick={() => session.selectSub(sub.id)}
              >
                <span className="flex w-8 justify-center">
                  <input
                    type="checkbox"
                    aria-label={`Include ${sub.name}`}
                    className="accent-[#a3a3a3]"
                    checked={sub.included}
                    onClick={(event) => event.stopPropagation()}
                    onChange={(event) => session.setIncluded(sub.id, event.target.checked)}
                  />
                </span>
                <span className={`min-w-0 flex-1 truncate px-1 ${sub.id === referenceId ? "text-accent" : ""}`}>
                  {sub.name}
                </span>
                {COLUMNS.map(({ key, width }) => (
                  <span key={key} className={`figures ${width} px-1 text-right`}>
                    {show(valueOf(sub, key, transmission), key, unit)}
                  </span>
                ))}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function show(value: number | string | null, key: SortKey, unit: { scale: number; digits: number }): string {
  if (typeof value === "string" || value === null) return value ?? "–";
  if (key === "stars") return String(value);
  if (key === "transmission") return fixed(value * 100, 1);
  if (key === "background") return fixed(value * unit.scale, 1);
  if (key === "noise") return fixed(value * unit.scale, unit.digits);
  return fixed(value, 2);
}
