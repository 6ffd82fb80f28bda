"use client";

import { ChevronDown, ChevronUp } from "lucide-react";
import type { ReactNode } from "react";
import { useState } from "react";
import type { Display } from "@/core/display";
import { displayCurve, displayWords } from "@/core/display";
import { ParameterSetting } from "../kit/parameterSetting";

interface Props {
  display: Display;
  /** The lane whose display it is, where it has its own. */
  of?: string | null;
  /** Called with the settings that changed. */
  onChange: (part: Record<string, unknown>) => void;
  /** What else changes how the picture is shown. */
  children?: ReactNode;
  className?: string;
}

/** How a picture is shown, in its corner: two figures while it is folded, their levers once it is opened. The data stay as they are. */
export function ShownPanel({ display, of = null, onChange, children, className = "" }: Props) {
  const [open, setOpen] = useState(false);
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
          {of ? `${of}: ` : ""}
          {displayWords(display)}
        </span>
        {open ? <ChevronUp size={13} /> : <ChevronDown size={13} />}
      </button>
      {open ? (
        <div className="border-t border-line px-2 pb-1">
          {displayCurve(display.curve).parameters.fields.map((field) => (
            <ParameterSetting
              key={field.name}
              field={field}
              values={display.params}
              onChange={(value) => onChange({ [field.name]: value })}
            />
          ))}
          {children}
        </div>
      ) : null}
    </div>
  );
}
