"use client";

import { ChevronDown, ChevronUp } from "lucide-react";
import type { ReactNode } from "react";
import { useState } from "react";
import type { StretchParams } from "@/core/operations";
import { stretchParameters } from "@/core/operations";
import { ParameterSetting } from "../kit/parameterSetting";

interface Props {
  values: StretchParams;
  /** The lane whose levers they are, where it has its own. */
  of?: string | null;
  onChange: (part: Partial<StretchParams>) => void;
  /** What else changes how the picture is shown. */
  children?: ReactNode;
  className?: string;
}

/** How a picture is shown, in its corner: two figures while it is folded, their levers once it is opened. The data stay as they are. */
export function ShownPanel({ values, of = null, onChange, children, className = "" }: Props) {
  const [open, setOpen] = useState(false);
  const [sky, black] = stretchParameters.fields;
  return (
    <div className={`w-56 rounded border border-line bg-panel text-sm ${className}`} data-testid="shown-panel">
      <button
        type="button"
        aria-expanded={open}
        data-help="How it is shown; the data stay as they are"
        className="flex w-full items-center gap-2 px-2 py-0.5 text-quiet hover:text-text"
        onClick={() => setOpen(!open)}
      >
        <span className="flex-1 truncate text-left">
          {of ? `${of}: ` : ""}sky at <span className="figures">{values.sky.toFixed(2)}</span>, black{" "}
          <span className="figures">{values.black.toFixed(1)}</span> σ below
        </span>
        {open ? <ChevronUp size={13} /> : <ChevronDown size={13} />}
      </button>
      {open ? (
        <div className="border-t border-line px-2 pb-1">
          {[sky, black].map((field) => (
            <ParameterSetting
              key={field.name}
              field={field}
              values={{ ...values }}
              onChange={(value) => onChange({ [field.name]: Number(value) })}
            />
          ))}
          {children}
        </div>
      ) : null}
    </div>
  );
}
