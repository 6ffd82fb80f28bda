"use client";
import type { ReactNode } from "react";

/** A box to tick, with what it stands for. */
export function Tick(props: {
  checked: boolean;
  onChange: (checked: boolean) => void;
  help?: string;
  className?: string;
  children: ReactNode;
}) {
  return (
    <label className={`flex items-center ${props.className ?? "gap-2 text-quiet"}`} data-help={props.help}>
      <input
        type="checkbox"
        className="accent-[#a3a3a3]"
        checked={props.checked}
        onChange={(event) => props.onChange(event.target.checked)}
      />
      {props.children}
    </label>
  );
}
