"use client";

import { X } from "lucide-react";
import type { ReactNode } from "react";
import { IconButton } from "./button";

interface ProblemProps {
  message: string;
  advice?: string;
  /** Nothing is wrong: it is only said. @default false */
  isHarmless?: boolean;
  onDismiss?: () => void;
}

/** Something that went wrong: what, and what can be done. */
export function Problem({ message, advice, isHarmless = false, onDismiss }: ProblemProps) {
  const showAdvice = advice && !message.includes(advice);
  return (
    <div
      role={isHarmless ? "status" : "alert"}
      className={`flex items-start gap-2 border-l-2 bg-panel px-3 py-1.5 ${isHarmless ? "border-quiet" : "border-warn"}`}
    >
      <div className="flex-1">
        <span className={isHarmless ? undefined : "text-warn"}>{message}</span>
        {showAdvice ? <span className="text-quiet"> {advice}</span> : null}
      </div>
      {onDismiss ? (
        <IconButton label="Dismiss" onClick={onDismiss}>
          <X size={14} />
        </IconButton>
      ) : null}
    </div>
  );
}

/** What to do first where there is nothing yet. */
export function EmptyState({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-3 px-8 text-center">
      <h2 className="text-[15px]">{title}</h2>
      <div className="max-w-md text-quiet">{children}</div>
    </div>
  );
}

export function ProgressLine({ fraction }: { fraction: number }) {
  return (
    <div
      role="progressbar"
      aria-valuenow={Math.round(fraction * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
      className="h-[3px] w-full overflow-hidden rounded bg-line"
    >
      <div className="h-full bg-accent" style={{ width: `${Math.min(100, fraction * 100)}%` }} />
    </div>
  );
}
